-- A database that is written to: accounts whose sum stays, keys that change, values too large for a row, what is rolled back
CREATE SCHEMA weather;
CREATE TABLE weather.station (id int PRIMARY KEY, code text UNIQUE NOT NULL, balance bigint NOT NULL DEFAULT 0, story text, "Höhe m" numeric);
CREATE TABLE weather.reading (no bigint PRIMARY KEY, station int NOT NULL REFERENCES weather.station ON UPDATE CASCADE ON DELETE CASCADE, at timestamptz NOT NULL DEFAULT clock_timestamp(), value double precision, raw bytea, tags text[]);
CREATE TABLE weather.day (d date, station int, label text, PRIMARY KEY (d, station)) PARTITION BY RANGE (d);
CREATE TABLE weather.day_a PARTITION OF weather.day FOR VALUES FROM ('2026-01-01') TO ('2026-07-01');
CREATE TABLE weather.day_b PARTITION OF weather.day FOR VALUES FROM ('2026-07-01') TO ('2027-01-01');
CREATE TABLE weather.scratch (k int PRIMARY KEY, t text);
CREATE TABLE weather.remark (t text, n int);
CREATE SEQUENCE weather.number;
CREATE MATERIALIZED VIEW weather.totals AS SELECT station, count(*) AS n FROM weather.reading GROUP BY station;
CREATE FUNCTION weather.audit() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN INSERT INTO weather.remark VALUES ('audit', 1); RETURN NULL; END $$;
CREATE TRIGGER audited AFTER UPDATE ON weather.station FOR EACH ROW WHEN (random() < 0.01) EXECUTE FUNCTION weather.audit();
INSERT INTO weather.station SELECT i, 'S' || i, 1000, (SELECT string_agg(md5(i::text || j), '') FROM generate_series(1, 300) j), i FROM generate_series(1, 200) i;
INSERT INTO weather.day SELECT '2026-01-01'::date + (i % 360), i, 'd' || i FROM generate_series(1, 500) i;
INSERT INTO weather.scratch SELECT i, repeat(E'x\t\\', i) FROM generate_series(1, 50) i;
CREATE PROCEDURE weather.write(steps int, seed double precision) LANGUAGE plpgsql AS $$
DECLARE a int; b int; r double precision;
BEGIN
  PERFORM setseed(seed), nextval('weather.number');
  FOR i IN 1..steps LOOP
    r := random(); a := 1 + floor(random() * 200); b := 1 + floor(random() * 200);
    IF r < 0.4 THEN
      INSERT INTO weather.reading (no, station, value, raw, tags)
        SELECT nextval('weather.number'), id, random() * 100, decode(md5(random()::text), 'hex'), ARRAY['a', E'b"\\,\t', NULL] FROM weather.station WHERE id = a;
    ELSIF r < 0.6 THEN
      UPDATE weather.station SET balance = balance - 5 WHERE id = least(a, b) AND EXISTS (SELECT FROM weather.station WHERE id = greatest(a, b)) AND a <> b;
      IF FOUND THEN UPDATE weather.station SET balance = balance + 5 WHERE id = greatest(a, b); END IF;
    ELSIF r < 0.7 THEN
      UPDATE weather.reading SET value = -value, tags = NULL WHERE no = floor(random() * currval('weather.number'));
    ELSIF r < 0.75 THEN
      DELETE FROM weather.reading WHERE no = floor(random() * currval('weather.number'));
    ELSIF r < 0.8 THEN
      UPDATE weather.day SET d = '2026-01-01'::date + floor(random() * 360)::int WHERE station = a;
    ELSIF r < 0.85 AND a <> b THEN -- a code comes and goes
      UPDATE weather.station SET code = code || '?' WHERE id = least(a, b);
      UPDATE weather.station SET code = left(code, -1) WHERE id = least(a, b);
    ELSIF r < 0.88 THEN -- a station gets another number, its story stays
      UPDATE weather.station SET id = id + 1000 WHERE id = a;
      UPDATE weather.station SET id = id - 1000 WHERE id = a + 1000;
    ELSIF r < 0.9 THEN
      BEGIN
        UPDATE weather.station SET balance = balance + 1000000 WHERE id = a;
        RAISE EXCEPTION 'back';
      EXCEPTION WHEN raise_exception THEN NULL;
      END;
    ELSIF r < 0.92 THEN
      UPDATE weather.station SET story = (SELECT string_agg(md5(random()::text), '') FROM generate_series(1, 200)) WHERE id = a;
    ELSIF r < 0.9205 THEN
      TRUNCATE weather.scratch;
      INSERT INTO weather.scratch SELECT s, E'\r\n\x0b' || s FROM generate_series(1, 20) s;
    ELSE
      INSERT INTO weather.remark VALUES ('remark ' || a, b);
      DELETE FROM weather.remark WHERE n = a;
    END IF;
    IF random() < 0.7 THEN COMMIT; END IF;
  END LOOP;
END $$;

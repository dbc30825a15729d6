-- Fennick Vale: the rows. Run in database fennick_vale with -v scale=N: scale 1 makes about 60,000 rows, most of them
-- weather readings; scale 100 makes six million. The same scale always makes the same rows.

\set ON_ERROR_STOP on
SET client_min_messages = warning;
SET search_path = '';
SET session_replication_role = replica; -- keys that refer to each other, and triggers that say no
SELECT setseed(0.42) \gset

INSERT INTO garden.taxon (name, family, common_names, hardy_to, notes)
SELECT (ARRAY['Carpinus','Quercus','Acer','Betula','Tilia','Sorbus','Prunus','Fagus'])[1 + n % 8] || ' '
           || (ARRAY['betulus','robur','campestre','pendula','cordata','aucuparia','avium','sylvatica'])[1 + (n / 8) % 8]
           || CASE WHEN n >= 64 THEN ' var. ' || translate(n::text, '0123456789', 'abcdefghij') ELSE '' END,
       (ARRAY['Betulaceae','Fagaceae','Sapindaceae','Betulaceae','Malvaceae','Rosaceae','Rosaceae','Fagaceae'])[1 + n % 8],
       CASE n % 4 WHEN 0 THEN ARRAY['hornbeam', 'Hainbuche', '鹅耳枥'] WHEN 1 THEN '{}'
                  WHEN 2 THEN ARRAY['with "quotes"', 'a,comma', NULL, ''] ELSE ARRAY[E'tab\there', E'line\nend', '\backslash'] END,
       CASE WHEN n % 7 = 0 THEN NULL ELSE -5.5 - n % 25 END,
       CASE WHEN n % 3 = 0 THEN NULL
            ELSE jsonb_build_object('leaf', n % 5, 'emoji', '🌳🍂', 'nested', jsonb_build_array(1, NULL, jsonb_build_object('k', 'v"'))) END
FROM generate_series(0, 199) AS n;

INSERT INTO garden.keeper (name, email, in_charge_of, "Führerschein")
SELECT (ARRAY['Orla Fenn','Bastian Ruhl','Wanda Ösk','Łucja Brzoza','Emeka Thorn'])[1 + n % 5] || ' ' || n,
       CASE WHEN n % 6 = 5 THEN NULL ELSE 'keeper' || n || '@fennick-vale.example' END, n, n % 2 = 0
FROM generate_series(1, 30) AS n;

INSERT INTO garden.plot (plot_id, label, keeper_id, outline, area_m2, open_years)
SELECT n, 'P-' || lpad(n::text, 4, '0'), CASE WHEN n <= 30 THEN n END,
       ARRAY[point(n, n + 1), point(n * 1.5, -n)],
       CASE n WHEN 1 THEN 'NaN' WHEN 2 THEN 'Infinity' WHEN 3 THEN 1e-300 ELSE n * 10.1 END,
       CASE n % 3 WHEN 0 THEN garden.years(1900 + n, NULL) WHEN 1 THEN 'empty' ELSE garden.years(1950, 1950 + n) END
FROM generate_series(1, 60) AS n;
SELECT setval('garden.plot_plot_id_seq', 60) \gset

INSERT INTO garden.accession (code, taxon_id, received, provenance, donor, cost)
SELECT (1950 + n % 70) || '.' || lpad(n::text, 4, '0'), 100 + n % 200, DATE '1950-03-01' + n * 9,
       CASE n % 4 WHEN 0 THEN NULL WHEN 1 THEN '' ELSE 'collected near “Nowhere Hill”, bag ' || n END,
       CASE WHEN n % 5 = 0 THEN 'Botanical Society of Lower Marsh' END,
       (n * 1.25)::numeric::money
FROM generate_series(1, 2000) AS n;

INSERT INTO garden.tree (code, plot_id, tag, planted, condition, last_measure, canopy, removed)
SELECT (1950 + n % 70) || '.' || lpad((1 + (n - 1) % 2000)::text, 4, '0'), 1 + n % 60,
       md5('tree ' || n)::uuid, DATE '1955-01-01' + n,
       (ARRAY['thriving','fair','poor','dead','missing']::garden.condition[])[1 + n % 5],
       CASE WHEN n % 9 = 0 THEN NULL ELSE ROW(n % 3000 + 0.5, (n % 500)::numeric, NULL)::garden.measure END,
       n % 101, n % 17 = 0
FROM generate_series(1, 2000 * :scale / greatest(1, :scale / 10)) AS n
WHERE EXISTS (SELECT FROM garden.accession a WHERE a.code = (1950 + n % 70) || '.' || lpad((1 + (n - 1) % 2000)::text, 4, '0'));

INSERT INTO garden.photograph (tree_id, taken, image, caption)
SELECT n, CASE n WHEN 1 THEN 'infinity' WHEN 2 THEN '-infinity' WHEN 3 THEN '0044-03-15 12:00:00+00 BC'
               ELSE TIMESTAMPTZ '2019-05-01 06:30:00.123456+00' + n * INTERVAL '1 hour' END,
       decode(string_agg(lpad(to_hex((b * n + b / 7) % 256), 2, '0'), '' ORDER BY b), 'hex'),
       CASE n % 3 WHEN 0 THEN '' WHEN 1 THEN NULL ELSE 'in bloom 🌸' END
FROM generate_series(1, 40) AS n, generate_series(0, 4095) AS b
GROUP BY n;
INSERT INTO garden.photograph (image, caption)
SELECT decode(string_agg(lpad(to_hex(b), 2, '0'), '' ORDER BY b), 'hex'), 'every byte there is' FROM generate_series(0, 255) AS b;

INSERT INTO garden.round
SELECT n, tstzrange(TIMESTAMPTZ '2025-01-01 07:00:00+00' + n * INTERVAL '1 day',
                    TIMESTAMPTZ '2025-01-01 11:00:00+00' + n * INTERVAL '1 day'), 1 + n % 30, 'round ' || n
FROM generate_series(1, 300) AS n;
INSERT INTO garden."Größter Baum" VALUES (2023, 4210.5, '大きな木', 'first'), (2024, 'NaN', NULL, ''), (2025, 4268.25, 'बड़ा पेड़', NULL);
INSERT INTO garden.note (written, body) SELECT TIMESTAMPTZ '2024-01-01 00:00:00+00' + n * INTERVAL '7 hours', 'note ' || n FROM generate_series(1, 120) AS n;
INSERT INTO garden.tour_note SELECT TIMESTAMPTZ '2024-06-01 00:00:00+00', 'tour ' || n, 'Orla', n FROM generate_series(1, 25) AS n;
INSERT INTO garden.label_queue SELECT 'T-' || n, n % 2 = 0 FROM generate_series(1, 50) AS n;
INSERT INTO garden.empty_shelf DEFAULT VALUES;
INSERT INTO garden.empty_shelf DEFAULT VALUES;

INSERT INTO "Seed Bank".seed_lot (code, stored, grams, germinates_at, lot_flags)
SELECT code, received + 30, CASE WHEN n % 11 = 0 THEN 'Infinity' ELSE n / 3.0 END::real, int4range(3, 8 + n::int % 9), (n % 256)::int::bit(8)
FROM (SELECT code, received, row_number() OVER (ORDER BY code) AS n FROM garden.accession ORDER BY code LIMIT 300) a;
INSERT INTO "Seed Bank"."germination trial"
SELECT l, d * 7, l % 9 + d, (l + d) % 101, make_interval(days => d, mins => l % 60)
FROM generate_series(1, 300) AS l, generate_series(0, 9) AS d;

INSERT INTO loans.borrower (garden_name, country, address, contact)
SELECT 'Garden of ' || n, (ARRAY['AT','NZ','JP',NULL])[1 + n % 4], ('10.0.' || n || '.1/24')::inet,
       CASE WHEN n % 2 = 0 THEN xmlparse(content '<who><name>Dr. &amp; Co</name></who>') END
FROM generate_series(1, 25) AS n;
INSERT INTO loans.loan (borrower_id, code, lent, returned, value_eur)
SELECT 1 + n % 25, a.code, DATE '2020-01-01' + n::int, CASE WHEN n % 4 > 0 THEN DATE '2020-02-01' + n::int END, n * 99.95
FROM (SELECT code, row_number() OVER (ORDER BY code) AS n FROM garden.accession) a WHERE n <= 600;

INSERT INTO weather.station VALUES (1, 'Gatehouse', 212.5), (2, 'Ridge', 388), (3, 'Pond "below"', NULL), (4, 'Nursery 🌱', 199.25);
INSERT INTO weather.reading
SELECT 1 + n % 4, TIMESTAMPTZ '2023-01-01 00:00:00+00' + (n / 4) * (INTERVAL '1180 days' / (12750 * :scale)),
       CASE WHEN n % 997 = 0 THEN NULL ELSE (10 + 12 * sin(n / 2000.0) + random() * 4)::real END,
       40 + n % 60, CASE WHEN n % 4999 = 0 THEN '-Infinity' ELSE random() * 20 END, round((random() * 9)::numeric, 1),
       CASE WHEN n % 50 = 0 THEN 'gauge cleaned by ' || (ARRAY['Orla','Bastian','Wanda'])[1 + n % 3] END
FROM generate_series(0, 51000 * :scale - 1) AS n;

SELECT nextval('garden.label_number') \gset
REFRESH MATERIALIZED VIEW garden.family_census;
REFRESH MATERIALIZED VIEW garden.rich_family;
RESET session_replication_role;
ANALYZE;

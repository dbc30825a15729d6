-- Subscriptions: created disabled, and without asking the other server. How it connects stands in a column of its own, as
-- only libpq can tell what in it is a password, and is put where CONNECTION '' stands
SELECT 'subscription' AS kind, 'pg_subscription'::regclass::oid AS classid, s.oid AS objid, quote_ident(s.subname) AS name,
       'SUBSCRIPTION ' || quote_ident(s.subname) AS designation, quote_ident(pg_get_userbyid(s.subowner)) AS owner,
       format(E'CREATE SUBSCRIPTION %I\n    CONNECTION %s\n    PUBLICATION %s\n    WITH (connect = false, enabled = false, slot_name = %s, '
              'synchronous_commit = %L%s);', s.subname, '''''',
              (SELECT string_agg(quote_ident(x), ', ') FROM unnest(s.subpublications) x),
              coalesce(quote_literal(s.subslotname), 'NONE'), s.subsynccommit, @suboptions@) AS definition,
       s.subconninfo AS conninfo
FROM pg_subscription s
JOIN pg_database b ON b.oid = s.subdbid AND b.datname = current_database()

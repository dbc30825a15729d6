-- What a server has that cannot be carried
SELECT 'database ' || quote_ident(d.datname) AS what, 'it lets nobody connect; ALTER DATABASE ... ALLOW_CONNECTIONS true changes that' AS why
FROM pg_database d WHERE NOT d.datallowconn AND d.datname <> 'template0'
UNION ALL
SELECT 'replication origin ' || quote_ident(o.roname), 'how far it is has a meaning on its own server only'
FROM pg_replication_origin o WHERE o.roname !~ '^pg_'
ORDER BY 1

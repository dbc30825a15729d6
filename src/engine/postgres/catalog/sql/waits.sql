-- What one of the sessions $1 waits for, and who holds it; no row: none waits
SELECT format('process %s waits for %s', a.pid,
    CASE WHEN a.wait_event = 'SyncRep'
        THEN 'a synchronous standby, which does not confirm the commit (synchronous_standby_names is '
             || quote_literal(current_setting('synchronous_standby_names')) || ')'
    ELSE
        coalesce((SELECT CASE WHEN l.relation IS NOT NULL THEN l.relation::regclass::text
                              ELSE 'a ' || l.locktype END
                  FROM pg_locks l
                  WHERE l.pid = a.pid AND NOT l.granted
                    AND (l.database IS NULL OR l.database = 0
                         OR l.database = (SELECT oid FROM pg_database WHERE datname = current_database()))
                  LIMIT 1), 'a lock')
        || coalesce(', held by ' ||
            CASE WHEN b.pid = 0
                THEN coalesce((SELECT format('the prepared transaction %L of user %s, since %s', p.gid, p.owner,
                                             to_char(p.prepared, 'YYYY-MM-DD HH24:MI:SS TZ'))
                               FROM pg_locks w JOIN pg_locks h ON h.granted AND h.pid IS NULL
                                   AND (h.relation, h.transactionid) IS NOT DISTINCT FROM (w.relation, w.transactionid)
                               JOIN pg_prepared_xacts p ON h.virtualtransaction = '-1/' || p.transaction
                               WHERE w.pid = a.pid AND NOT w.granted LIMIT 1), 'a prepared transaction')
            ELSE format('process %s%s%s', b.pid, ' of user ' || h.usename,
                        ' (' || nullif(concat_ws(', ', nullif(h.application_name, ''), h.state,
                                                 'in a transaction since '
                                                 || to_char(h.xact_start, 'YYYY-MM-DD HH24:MI:SS TZ')), '') || ')')
            END, '')
    END) AS wait
FROM pg_stat_activity a
LEFT JOIN LATERAL (SELECT pid FROM unnest(pg_blocking_pids(a.pid)) AS pid LIMIT 1) b ON a.wait_event_type = 'Lock'
LEFT JOIN pg_stat_activity h ON h.pid = b.pid
WHERE a.pid = ANY ($1::int[]) AND a.state = 'active' AND (a.wait_event_type = 'Lock' OR a.wait_event = 'SyncRep')
ORDER BY a.query_start
LIMIT 1

SELECT 'aggregate' AS kind, 'pg_proc'::regclass::oid AS classid, p.oid AS objid,
       p.oid::regprocedure::text AS name,
       format('AGGREGATE %I.%I(%s)', n.nspname, p.proname,
              coalesce(nullif(pg_get_function_identity_arguments(p.oid), ''), '*')) AS designation,
       quote_ident(pg_get_userbyid(p.proowner)) AS owner,
       format('CREATE AGGREGATE %I.%I(%s) (', n.nspname, p.proname,
              coalesce(nullif(pg_get_function_arguments(p.oid), ''), '*'))
           || format(E'\n    SFUNC = %s,\n    STYPE = %s', a.aggtransfn, format_type(a.aggtranstype, NULL))
           || CASE WHEN a.aggtransspace <> 0 THEN E',\n    SSPACE = ' || a.aggtransspace ELSE '' END
           || CASE WHEN a.aggfinalfn::oid <> 0 THEN E',\n    FINALFUNC = ' || a.aggfinalfn ELSE '' END
           || CASE WHEN a.aggfinalextra THEN E',\n    FINALFUNC_EXTRA' ELSE '' END
           || CASE WHEN a.aggfinalmodify = 'r' AND a.aggkind = 'n' THEN ''
                   WHEN a.aggfinalmodify = 'w' AND a.aggkind <> 'n' THEN ''
                   ELSE E',\n    FINALFUNC_MODIFY = ' || CASE a.aggfinalmodify WHEN 'r' THEN 'READ_ONLY'
                        WHEN 's' THEN 'SHAREABLE' ELSE 'READ_WRITE' END END
           || CASE WHEN a.aggcombinefn::oid <> 0 THEN E',\n    COMBINEFUNC = ' || a.aggcombinefn ELSE '' END
           || CASE WHEN a.aggserialfn::oid <> 0 THEN E',\n    SERIALFUNC = ' || a.aggserialfn ELSE '' END
           || CASE WHEN a.aggdeserialfn::oid <> 0 THEN E',\n    DESERIALFUNC = ' || a.aggdeserialfn ELSE '' END
           || coalesce(E',\n    INITCOND = ' || quote_literal(a.agginitval), '')
           || CASE WHEN a.aggmtransfn::oid <> 0
                   THEN format(E',\n    MSFUNC = %s,\n    MINVFUNC = %s,\n    MSTYPE = %s', a.aggmtransfn,
                               a.aggminvtransfn, format_type(a.aggmtranstype, NULL))
                   ELSE '' END
           || CASE WHEN a.aggmtransspace <> 0 THEN E',\n    MSSPACE = ' || a.aggmtransspace ELSE '' END
           || CASE WHEN a.aggmfinalfn::oid <> 0 THEN E',\n    MFINALFUNC = ' || a.aggmfinalfn ELSE '' END
           || CASE WHEN a.aggmfinalextra THEN E',\n    MFINALFUNC_EXTRA' ELSE '' END
           || CASE WHEN a.aggmtransfn::oid = 0 THEN ''
                   WHEN a.aggmfinalmodify = 'r' AND a.aggkind = 'n' THEN ''
                   WHEN a.aggmfinalmodify = 'w' AND a.aggkind <> 'n' THEN ''
                   ELSE E',\n    MFINALFUNC_MODIFY = ' || CASE a.aggmfinalmodify WHEN 'r' THEN 'READ_ONLY'
                        WHEN 's' THEN 'SHAREABLE' ELSE 'READ_WRITE' END END
           || coalesce(E',\n    MINITCOND = ' || quote_literal(a.aggminitval), '')
           || CASE WHEN a.aggsortop <> 0
                   THEN (SELECT format(E',\n    SORTOP = OPERATOR(%I.%s)', sn.nspname, so.oprname)
                         FROM pg_operator so JOIN pg_namespace sn ON sn.oid = so.oprnamespace
                         WHERE so.oid = a.aggsortop)
                   ELSE '' END
           || CASE p.proparallel WHEN 's' THEN E',\n    PARALLEL = SAFE'
                   WHEN 'r' THEN E',\n    PARALLEL = RESTRICTED' ELSE '' END
           || CASE WHEN a.aggkind = 'h' THEN E',\n    HYPOTHETICAL' ELSE '' END
           || E'\n);' AS definition
FROM pg_proc p
JOIN pg_aggregate a ON a.aggfnoid = p.oid
JOIN pg_namespace n ON n.oid = p.pronamespace
WHERE p.pronamespace IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_proc'::regclass AND e.objid = p.oid AND e.deptype = 'e')

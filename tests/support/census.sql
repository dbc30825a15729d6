-- A census of a database by the server's own words, independent of the program under test: one line for each thing, so
-- that two of them can be compared with diff. Run with: psql -qXAt -f census.sql
SET search_path = '';
SET extra_float_digits = 3;
SET TimeZone = 'UTC';

SELECT 'database', pg_encoding_to_char(encoding), datcollate, datctype, pg_get_userbyid(datdba), datacl, datconnlimit,
       shobj_description(oid, 'pg_database')
FROM pg_database WHERE datname = current_database();
SELECT 'setting', coalesce(setrole::regrole::text, '-'), unnest(setconfig) AS s FROM pg_db_role_setting
WHERE setdatabase IN (0, (SELECT oid FROM pg_database WHERE datname = current_database())) ORDER BY 1, 2, 3;
SELECT 'role', rolname, rolsuper, rolinherit, rolcreaterole, rolcreatedb, rolcanlogin, rolreplication, rolbypassrls,
       rolconnlimit, rolvaliduntil, rolpassword, shobj_description(oid, 'pg_authid')
FROM pg_authid WHERE oid >= 16384 ORDER BY 2;
SELECT 'member', roleid::regrole, member::regrole, admin_option FROM pg_auth_members WHERE roleid >= 16384 OR member >= 16384
ORDER BY roleid::regrole::text, member::regrole::text;
SELECT 'schema', nspname, pg_get_userbyid(nspowner), nspacl, obj_description(oid, 'pg_namespace')
FROM pg_namespace WHERE nspname !~ '^pg_(toast|temp)' ORDER BY 2;
SELECT 'extension', extname, extversion, extnamespace::regnamespace FROM pg_extension ORDER BY 2;
SELECT 'relation', c.oid::regclass, relkind, relpersistence, pg_get_userbyid(relowner), relacl, reloptions, relrowsecurity,
       relforcerowsecurity, relreplident, relispartition, relispopulated, relchecks, relhasrules, relhastriggers,
       (SELECT amname FROM pg_am m WHERE m.oid = relam), pg_get_expr(relpartbound, c.oid), pg_get_partkeydef(c.oid),
       obj_description(c.oid, 'pg_class')
FROM pg_class c WHERE relnamespace::regnamespace::text !~ '^(pg_|information_schema)' ORDER BY c.oid::regclass::text;
SELECT 'column', a.attrelid::regclass, row_number() OVER (PARTITION BY attrelid ORDER BY attnum), attname,
       format_type(atttypid, atttypmod), attnotnull, attidentity, attgenerated, attislocal, attinhcount, attstorage,
       attcompression, attstattarget, attcollation::regcollation, attacl,
       (SELECT array_agg(o) FROM unnest(attoptions) o WHERE o !~ 'pg_attver'), pg_get_expr(d.adbin, d.adrelid),
       col_description(attrelid, attnum)
FROM pg_attribute a JOIN pg_class c ON c.oid = attrelid LEFT JOIN pg_attrdef d ON d.adrelid = attrelid AND d.adnum = attnum
WHERE attnum > 0 AND NOT attisdropped AND c.relkind IN ('r', 'p', 'v', 'm', 'c', 'f')
  AND relnamespace::regnamespace::text !~ '^(pg_|information_schema)'
ORDER BY a.attrelid::regclass::text, attnum;
SELECT 'inherits', inhrelid::regclass, inhparent::regclass, row_number() OVER (PARTITION BY inhrelid ORDER BY inhseqno) FROM pg_inherits ORDER BY inhrelid::regclass::text, 4;
SELECT 'constraint', conrelid::regclass, contypid::regtype, conname, contype, convalidated, condeferrable, condeferred,
       conislocal, coninhcount, connoinherit AND conparentid = 0, conparentid <> 0, pg_get_constraintdef(oid), obj_description(oid, 'pg_constraint')
FROM pg_constraint WHERE connamespace::regnamespace::text !~ '^(pg_|information_schema)'
ORDER BY conrelid::regclass::text, contypid::regtype::text, conname;
SELECT 'index', indexrelid::regclass, indisunique, indisprimary, indisclustered, indisvalid, indisreplident,
       pg_get_indexdef(indexrelid)
FROM pg_index WHERE indrelid::regclass::text !~ '^pg_' ORDER BY indexrelid::regclass::text;
SELECT 'view', c.oid::regclass, pg_get_viewdef(c.oid) FROM pg_class c
WHERE relkind IN ('v', 'm') AND relnamespace::regnamespace::text !~ '^(pg_|information_schema)' ORDER BY c.oid::regclass::text;
SELECT 'rule', ev_class::regclass, rulename, ev_enabled, pg_get_ruledef(oid) FROM pg_rewrite
WHERE rulename <> '_RETURN' AND ev_class >= 16384 ORDER BY ev_class::regclass::text, rulename;
SELECT 'trigger', tgrelid::regclass, tgname, tgenabled, tgisinternal, pg_get_triggerdef(oid), obj_description(oid, 'pg_trigger')
FROM pg_trigger WHERE NOT tgisinternal ORDER BY tgrelid::regclass::text, tgname;
SELECT 'policy', polrelid::regclass, polname, polcmd, polpermissive, polroles::regrole[], pg_get_expr(polqual, polrelid),
       pg_get_expr(polwithcheck, polrelid), obj_description(oid, 'pg_policy') FROM pg_policy ORDER BY polrelid::regclass::text, 3;
SELECT 'routine', p.oid::regprocedure, prokind, pg_get_userbyid(proowner), proacl, md5(pg_get_functiondef(p.oid)),
       obj_description(p.oid, 'pg_proc')
FROM pg_proc p WHERE prokind <> 'a' AND pronamespace::regnamespace::text !~ '^(pg_|information_schema)'
ORDER BY p.oid::regprocedure::text;
SELECT 'aggregate', aggfnoid::regprocedure, aggkind, aggtransfn, aggfinalfn, aggtranstype::regtype, agginitval, p.proacl,
       pg_get_userbyid(proowner), aggfinalmodify, aggmfinalmodify, aggcombinefn
FROM pg_aggregate JOIN pg_proc p ON p.oid = aggfnoid WHERE aggfnoid >= 16384 ORDER BY aggfnoid::regprocedure::text;
SELECT 'type', t.oid::regtype, typtype, pg_get_userbyid(typowner), typacl, typnotnull, typdefault, format_type(typbasetype, typtypmod),
       typcollation::regcollation, (SELECT array_agg(enumlabel ORDER BY enumsortorder) FROM pg_enum WHERE enumtypid = t.oid),
       obj_description(t.oid, 'pg_type')
FROM pg_type t WHERE typnamespace::regnamespace::text !~ '^(pg_|information_schema)' ORDER BY t.oid::regtype::text;
SELECT 'range', rngtypid::regtype, rngsubtype::regtype, rngmultitypid::regtype, rngsubdiff FROM pg_range WHERE rngtypid >= 16384 ORDER BY rngtypid::regtype::text;
SELECT 'sequence', seqrelid::regclass, seqtypid::regtype, seqstart, seqincrement, seqmax, seqmin, seqcache, seqcycle,
       (SELECT refobjid::regclass || '.' || refobjsubid FROM pg_depend WHERE objid = seqrelid AND deptype IN ('a', 'i') AND refobjsubid > 0),
       pg_sequence_last_value(seqrelid)
FROM pg_sequence ORDER BY seqrelid::regclass::text;
SELECT 'statistics', stxname, pg_get_userbyid(stxowner), pg_get_statisticsobjdef(oid) FROM pg_statistic_ext ORDER BY 2;
SELECT 'default acl', pg_get_userbyid(defaclrole), defaclnamespace::regnamespace, defaclobjtype, defaclacl FROM pg_default_acl ORDER BY 2, defaclnamespace::regnamespace::text, 4;
SELECT 'event trigger', evtname, evtevent, evtenabled, evtfoid::regproc, evttags FROM pg_event_trigger ORDER BY 2;
SELECT 'operator', oid::regoperator, pg_get_userbyid(oprowner), oprcode, oprcom::regoperator, oprnegate::regoperator, oprrest, oprjoin,
       oprcanhash, oprcanmerge FROM pg_operator WHERE oid >= 16384 ORDER BY oid::regoperator::text;
SELECT 'operator class', opcname, opcnamespace::regnamespace, (SELECT amname FROM pg_am m WHERE m.oid = opcmethod), pg_get_userbyid(opcowner),
       opcintype::regtype, opcdefault, opckeytype::regtype, (SELECT opfname FROM pg_opfamily f WHERE f.oid = opcfamily)
FROM pg_opclass WHERE oid >= 16384 ORDER BY 2, 3, 4;
SELECT 'operator member', (SELECT opfname FROM pg_opfamily f WHERE f.oid = amopfamily), amopstrategy, amoppurpose, amopopr::regoperator
FROM pg_amop WHERE oid >= 16384 ORDER BY 2, 3, 4, amopopr::regoperator::text;
SELECT 'function member', (SELECT opfname FROM pg_opfamily f WHERE f.oid = amprocfamily), amproclefttype::regtype, amprocrighttype::regtype,
       amprocnum, amproc FROM pg_amproc WHERE oid >= 16384
ORDER BY 2, amproclefttype::regtype::text, amprocrighttype::regtype::text, 5;
SELECT 'base type', oid::regtype, typlen, typbyval, typalign, typstorage, typcategory, typispreferred, typdelim, typinput, typoutput, typreceive,
       typsend, typisdefined FROM pg_type WHERE oid >= 16384 AND typtype IN ('b', 'p') ORDER BY oid::regtype::text;
SELECT 'canonical', rngtypid::regtype, rngcanonical, (SELECT opcname FROM pg_opclass o WHERE o.oid = rngsubopc) FROM pg_range
WHERE rngtypid >= 16384 ORDER BY rngtypid::regtype::text;
SELECT 'cast', castsource::regtype, casttarget::regtype, castfunc::regprocedure, castcontext, castmethod FROM pg_cast WHERE oid >= 16384
ORDER BY castsource::regtype::text, casttarget::regtype::text;
SELECT 'conversion', conname, connamespace::regnamespace, pg_get_userbyid(conowner), conforencoding, contoencoding, conproc, condefault
FROM pg_conversion WHERE oid >= 16384 ORDER BY 2;
SELECT 'language', lanname, pg_get_userbyid(lanowner), lanpltrusted, lanplcallfoid::regproc, laninline::regproc, lanvalidator::regproc, lanacl
FROM pg_language ORDER BY 2;
SELECT 'transform', trftype::regtype, trflang, trffromsql, trftosql FROM (SELECT trftype, (SELECT lanname FROM pg_language l WHERE l.oid = trflang)
       AS trflang, trffromsql, trftosql FROM pg_transform) t ORDER BY 2, 3;
SELECT 'access method', amname, amtype, amhandler FROM pg_am WHERE oid >= 16384 ORDER BY 2;
SELECT 'parser', prsname, prsnamespace::regnamespace, prsstart, prstoken, prsend, prsheadline, prslextype FROM pg_ts_parser WHERE oid >= 16384 ORDER BY 2;
SELECT 'template', tmplname, tmplnamespace::regnamespace, tmplinit, tmpllexize FROM pg_ts_template WHERE oid >= 16384 ORDER BY 2;
SELECT 'dictionary', dictname, dictnamespace::regnamespace, pg_get_userbyid(dictowner), dictinitoption FROM pg_ts_dict WHERE oid >= 16384 ORDER BY 2;
SELECT 'configuration', cfgname, cfgnamespace::regnamespace, pg_get_userbyid(cfgowner),
       (SELECT array_agg(maptokentype || ' ' || mapseqno || ' ' || mapdict::regdictionary ORDER BY maptokentype, mapseqno) FROM pg_ts_config_map
        WHERE mapcfg = c.oid) FROM pg_ts_config c WHERE oid >= 16384 ORDER BY 2;
SELECT 'wrapper', fdwname, pg_get_userbyid(fdwowner), fdwhandler::regproc, fdwvalidator::regproc, fdwacl, fdwoptions FROM pg_foreign_data_wrapper ORDER BY 2;
SELECT 'server', srvname, pg_get_userbyid(srvowner), srvtype, srvversion, srvacl, srvoptions FROM pg_foreign_server ORDER BY 2;
SELECT 'mapping', usename, srvname, ARRAY(SELECT o FROM unnest(umoptions) o WHERE o !~ 'password') FROM pg_user_mappings ORDER BY 2, 3;
SELECT 'foreign table', ftrelid::regclass, (SELECT srvname FROM pg_foreign_server s WHERE s.oid = ftserver), ftoptions FROM pg_foreign_table ORDER BY ftrelid::regclass::text;
SELECT 'foreign column', attrelid::regclass, attname, attfdwoptions FROM pg_attribute WHERE attfdwoptions IS NOT NULL ORDER BY attrelid::regclass::text, 3;
SELECT 'publication', pubname, pg_get_userbyid(pubowner), puballtables, pubinsert, pubupdate, pubdelete, pubtruncate, pubviaroot FROM pg_publication ORDER BY 2;
SELECT 'published', (SELECT pubname FROM pg_publication p WHERE p.oid = prpubid), prrelid::regclass FROM pg_publication_rel ORDER BY 2, prrelid::regclass::text;
SELECT 'subscription', subname, pg_get_userbyid(subowner), subslotname, subsynccommit, subpublications FROM pg_subscription ORDER BY 2;
SELECT 'large object', oid, pg_get_userbyid(lomowner), lomacl, md5(lo_get(oid)), obj_description(oid, 'pg_largeobject') FROM pg_largeobject_metadata ORDER BY 2;
SELECT 'system rights', oid::regprocedure, proacl FROM pg_proc WHERE oid < 16384 AND proacl IS NOT NULL ORDER BY oid::regprocedure::text;
SELECT 'system relation rights', oid::regclass, relacl FROM pg_class WHERE oid < 16384 AND relacl IS NOT NULL ORDER BY oid::regclass::text;
SELECT 'system column rights', attrelid::regclass, attname, attacl FROM pg_attribute WHERE attrelid < 16384 AND attacl IS NOT NULL ORDER BY attrelid::regclass::text, 3;
SELECT 'label', pg_describe_object(classoid, objoid, objsubid), provider, label FROM pg_seclabel ORDER BY 2;
SELECT 'description', pg_describe_object(classoid, objoid, objsubid), description FROM pg_description
WHERE objoid >= 16384 ORDER BY 2;
SELECT 'depends', pg_describe_object(classid, objid, objsubid), pg_describe_object(refclassid, refobjid, refobjsubid), deptype
FROM pg_depend WHERE objid >= 16384 AND classid NOT IN ('pg_rewrite'::regclass, 'pg_attrdef'::regclass)
  AND pg_describe_object(classid, objid, objsubid) !~ 'pg_toast' ORDER BY 2, 3, 4;
SELECT format('SELECT ''rows'', %L, count(*), sum(hashtextextended(t::text, 0)) FROM ONLY %s t', c.oid::regclass, c.oid::regclass)
FROM pg_class c WHERE relkind IN ('r', 'm') AND relispopulated AND relnamespace::regnamespace::text !~ '^(pg_|information_schema)'
ORDER BY c.oid::regclass::text \gexec

/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/restore_decision_inner.h"

typedef struct {
    const HbDecisionInput *input;
    const HbConflictInput *conflicts;
    GHashTable *owners; /* of what is there: identities to names */
    GHashTable *kept;   /* identities of what stays */
    HbRestorePrivileges privileges;
} PrivilegeCheck;

GHashTable *hb_decision_index_owners(const HbCatalog *there)
{
    GHashTable *owners = g_hash_table_new_full(g_str_hash, g_str_equal, NULL, g_free);

    for (guint i = 0; i < hb_catalog_count(there); i++) {
        const HbObject *object = hb_catalog_get(there, i);
        if (object->owner != NULL)
            g_hash_table_insert(owners, object->identity, g_strdup(object->owner));
    }
    return owners;
}

/* The role that owns the object, or what the object is a part of; NULL if this role may act as the owner */
static const char *find_foreign_owner(const PrivilegeCheck *check, const char *identity)
{
    const HbObject *object = hb_catalog_find(check->conflicts->there, identity);
    const char *owner = g_hash_table_lookup(check->owners, identity);

    if (owner == NULL && object != NULL && object->on != NULL)
        owner = g_hash_table_lookup(check->owners, object->on);
    return owner != NULL && !g_hash_table_contains(check->privileges.owners, owner) ? owner : NULL;
}

static void report_foreign(const PrivilegeCheck *check, const char *identity, const char *owner, const char *fate)
{
    HbFinding *finding =
        hb_findings_add(check->input->decision->findings, HB_FINDING_BLOCKER, "right-missing", identity,
                        "%s, and belongs to %s, of whom this role is no member", fate, owner);
    g_autofree char *todo = g_strdup_printf("have this role made a member of %s, or restore as somebody who is", owner);

    hb_finding_advise(finding, todo, NULL);
}

static void check_items(const PrivilegeCheck *check, const GPtrArray *items, const char *fate)
{
    for (guint i = 0; i < items->len; i++) {
        const HbCleanupItem *item = items->pdata[i];
        const char *owner = find_foreign_owner(check, item->identity);
        if (owner != NULL)
            report_foreign(check, item->identity, owner, fate);
    }
}

static void check_schemas(const PrivilegeCheck *check, const HbObject *object, GHashTable *told)
{
    for (guint n = 0; object->on == NULL && n < object->needs->len; n++) {
        char *need = object->needs->pdata[n];
        if (!g_hash_table_contains(check->privileges.closed, need) ||
            hb_catalog_find(check->conflicts->there, need) == NULL || !g_hash_table_add(told, need))
            continue;
        hb_finding_advise(hb_findings_add(check->input->decision->findings, HB_FINDING_BLOCKER, "right-missing", need,
                                          "does not let this role create anything in it: %s, for example",
                                          object->identity),
                          "have the right granted by its owner", NULL);
    }
}

/* What comes into schemas, and onto tables, that stay */
static void check_places(const PrivilegeCheck *check)
{
    g_autoptr(GHashTable) told = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = 0; i < hb_catalog_count(check->conflicts->wanted); i++) {
        const HbObject *object = hb_catalog_get(check->conflicts->wanted, i);
        const char *owner = object->on != NULL && g_hash_table_contains(check->kept, object->on)
                                ? find_foreign_owner(check, object->on)
                                : NULL;
        if (object->kind == HB_KIND_ROWS || g_hash_table_contains(check->kept, object->identity) ||
            hb_kind_get_traits(object->kind)->part == HB_PART_USERS)
            continue;
        check_schemas(check, object, told);
        if (owner != NULL && g_hash_table_add(told, object->on)) {
            g_autofree char *fate = g_strdup_printf("stays, would get %s", object->identity);
            report_foreign(check, object->on, owner, fate);
        }
    }
}

/* Half of the locks are left to others */
#define LOCKS_DIVISOR 2

static void check_locks(const PrivilegeCheck *check)
{
    HbTargetCleanup *cleanup = check->input->decision->cleanup;
    const guint turns =
        check->privileges.locks == 0
            ? 1
            : hb_target_cleanup_take_turns(cleanup, &check->conflicts->dialect->locks, check->conflicts->there,
                                           check->privileges.locks / LOCKS_DIVISOR);

    if (turns == 1)
        return;
    hb_finding_advise(
        hb_findings_add(check->input->decision->findings, HB_FINDING_WARNING, "in-parts",
                        check->input->target->database,
                        "has more to be dropped or emptied than the server can lock at once: that is done in %u "
                        "transactions, and if one fails, what the earlier ones took is listed as gone",
                        turns),
        "raise max_locks_per_transaction there, if it is to be all or nothing", NULL);
}

gboolean hb_decision_check_privileges(const HbDecisionInput *input, HbSession *session,
                                      const HbConflictInput *conflicts, GHashTable *owners, GError **error)
{
    const HbTargetCleanup *cleanup = input->decision->cleanup;
    PrivilegeCheck check = {.input = input, .conflicts = conflicts, .owners = owners};
    gboolean ok;

    if (input->options->engine->target->read_privileges == NULL)
        return TRUE;
    check.kept = g_hash_table_new(g_str_hash, g_str_equal);
    for (guint i = 0; i < cleanup->kept->len; i++)
        g_hash_table_add(check.kept, cleanup->kept->pdata[i]);
    ok = input->options->engine->target->read_privileges(session, &check.privileges, error);
    if (ok)
        check_locks(&check);
    if (ok && !input->target->info.is_superuser) {
        check_items(&check, cleanup->dropped, "would be dropped");
        check_items(&check, cleanup->suspended, "would be taken off and put back");
        check_places(&check);
    }
    hb_restore_privileges_clear(&check.privileges);
    g_hash_table_unref(check.kept);
    return ok;
}

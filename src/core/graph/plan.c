/* SPDX-License-Identifier: Apache-2.0 */
#include "core/graph/plan.h"

#include "core/base/error.h"

/*
 * Steps, and who waits for whom. A step is ready when its hard needs are done and its soft needs settled; among the
 * ready ones the one with the longest path of costs behind it goes first, because that path decides the end. Claims
 * keep two steps apart that would wait for one another's locks. What fails takes with it all that needs it, and each
 * of those knows the culprit. Taking and settling a step costs a logarithm of the number of ready ones and a look at
 * its neighbours.
 */

typedef struct {
    guint step;
    gboolean hard;
} Edge;

typedef struct {
    guint thing;
    gboolean exclusive;
} Claim;

typedef struct {
    gpointer what;
    guint64 cost;
    guint64 path; /* cost of the longest path from here to the end, this step included */
    guint next;   /* the step after this one on that path; NONE at the end */
    guint missing;
    HbStepState state;
    guint culprit;
    GArray *then;   /* Edge: the steps that need this one */
    GArray *claims; /* Claim; NULL if none */
} Step;

struct HbPlan {
    GArray *steps;      /* Step */
    GSequence *ready;   /* step numbers, first to run first */
    GHashTable *things; /* name to number + 1 */
    GArray *held;       /* gint by thing: readers, or -1 for one exclusive holder */
    guint open;
    gboolean in_order;
};

#define NONE G_MAXUINT

/* How many ready steps are looked at for one whose claims are free; bounds the cost of take() */
#define CLAIM_SEARCH_LIMIT 256

static void step_clear(gpointer data)
{
    Step *step = data;

    g_array_unref(step->then);
    if (step->claims != NULL)
        g_array_unref(step->claims);
}

HbPlan *hb_plan_new(void)
{
    HbPlan *plan = g_new0(HbPlan, 1);

    plan->steps = g_array_new(FALSE, TRUE, sizeof(Step));
    g_array_set_clear_func(plan->steps, step_clear);
    plan->ready = g_sequence_new(NULL);
    plan->things = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    plan->held = g_array_new(FALSE, TRUE, sizeof(gint));
    return plan;
}

void hb_plan_free(HbPlan *plan)
{
    if (plan == NULL)
        return;
    g_array_unref(plan->steps);
    g_sequence_free(plan->ready);
    g_hash_table_unref(plan->things);
    g_array_unref(plan->held);
    g_free(plan);
}

static Step *get(const HbPlan *plan, guint step)
{
    g_assert(step < plan->steps->len);
    return &g_array_index(plan->steps, Step, step);
}

guint hb_plan_add_step(HbPlan *plan, gpointer what, guint64 cost)
{
    Step step = {.what = what, .cost = cost, .then = g_array_new(FALSE, FALSE, sizeof(Edge))};

    g_array_append_val(plan->steps, step);
    return plan->steps->len - 1;
}

static void add_edge(HbPlan *plan, guint step, guint need, gboolean hard)
{
    Edge edge = {step, hard};

    g_array_append_val(get(plan, need)->then, edge);
    get(plan, step)->missing++;
}

void hb_plan_add_need(HbPlan *plan, guint step, guint need)
{
    add_edge(plan, step, need, TRUE);
}

void hb_plan_add_soft_need(HbPlan *plan, guint step, guint need)
{
    add_edge(plan, step, need, FALSE);
}

static guint thing_number(HbPlan *plan, const char *thing)
{
    guint number = GPOINTER_TO_UINT(g_hash_table_lookup(plan->things, thing));

    if (number == 0) {
        g_array_set_size(plan->held, plan->held->len + 1);
        number = plan->held->len;
        g_hash_table_insert(plan->things, g_strdup(thing), GUINT_TO_POINTER(number));
    }
    return number - 1;
}

void hb_plan_add_claim(HbPlan *plan, guint step, const char *thing, gboolean exclusive)
{
    Claim claim = {thing_number(plan, thing), exclusive};
    Step *claimer = get(plan, step);

    if (claimer->claims == NULL)
        claimer->claims = g_array_new(FALSE, FALSE, sizeof(Claim));
    for (guint i = 0; i < claimer->claims->len; i++) {
        Claim *known = &g_array_index(claimer->claims, Claim, i);
        if (known->thing == claim.thing) {
            known->exclusive |= exclusive;
            return;
        }
    }
    g_array_append_val(claimer->claims, claim);
}

/* ---- Sealing: costs of the longest paths, from the last steps backwards ---- */

static GArray *sort_by_needs(const HbPlan *plan)
{
    GArray *order = g_array_new(FALSE, FALSE, sizeof(guint));
    g_autofree guint *missing = g_new(guint, plan->steps->len + 1);

    for (guint i = 0; i < plan->steps->len; i++) {
        missing[i] = get(plan, i)->missing;
        if (missing[i] == 0)
            g_array_append_val(order, i);
    }
    for (guint at = 0; at < order->len; at++) {
        const GArray *then = get(plan, g_array_index(order, guint, at))->then;
        for (guint e = 0; e < then->len; e++) {
            guint next = g_array_index(then, Edge, e).step;
            if (--missing[next] == 0)
                g_array_append_val(order, next);
        }
    }
    return order;
}

static void find_longest_path(const HbPlan *plan, Step *step)
{
    guint64 longest = 0;

    step->next = NONE;
    for (guint e = 0; e < step->then->len; e++) {
        const guint next = g_array_index(step->then, Edge, e).step;
        if (step->next == NONE || get(plan, next)->path > longest) {
            longest = get(plan, next)->path;
            step->next = next;
        }
    }
    step->path = longest + step->cost;
}

static int compare_ready(gconstpointer one, gconstpointer other, gpointer data)
{
    const HbPlan *plan = data;
    guint a = GPOINTER_TO_UINT(one), b = GPOINTER_TO_UINT(other);
    guint64 path_a = get(plan, a)->path, path_b = get(plan, b)->path;

    if (!plan->in_order && path_a != path_b)
        return path_a > path_b ? -1 : 1;
    return a < b ? -1 : a > b;
}

static void make_ready(HbPlan *plan, guint step)
{
    get(plan, step)->state = HB_STEP_READY;
    g_sequence_insert_sorted(plan->ready, GUINT_TO_POINTER(step), compare_ready, plan);
}

gboolean hb_plan_seal(HbPlan *plan, gboolean in_order, GError **error)
{
    g_autoptr(GArray) order = sort_by_needs(plan);

    if (order->len != plan->steps->len)
        return hb_error_set(error, HB_ERROR_CIRCLE, NULL, "%u steps need each other in a circle",
                            plan->steps->len - order->len);
    plan->in_order = in_order;
    plan->open = plan->steps->len;
    for (guint at = order->len; at-- > 0;)
        find_longest_path(plan, get(plan, g_array_index(order, guint, at)));
    for (guint i = 0; i < plan->steps->len; i++) {
        if (get(plan, i)->missing == 0)
            make_ready(plan, i);
    }
    return TRUE;
}

/* ---- Walking ---- */

static gboolean claims_are_free(const HbPlan *plan, const Step *step)
{
    for (guint i = 0; step->claims != NULL && i < step->claims->len; i++) {
        const Claim *claim = &g_array_index(step->claims, Claim, i);
        gint held = g_array_index(plan->held, gint, claim->thing);
        if (held < 0 || (claim->exclusive && held > 0))
            return FALSE;
    }
    return TRUE;
}

static void hold_claims(HbPlan *plan, const Step *step, gboolean hold)
{
    for (guint i = 0; step->claims != NULL && i < step->claims->len; i++) {
        const Claim *claim = &g_array_index(step->claims, Claim, i);
        gint *held = &g_array_index(plan->held, gint, claim->thing);
        if (claim->exclusive)
            *held = hold ? -1 : 0;
        else
            *held += hold ? 1 : -1;
    }
}

gboolean hb_plan_take(HbPlan *plan, guint *step)
{
    GSequenceIter *at = g_sequence_get_begin_iter(plan->ready);

    for (guint seen = 0; !g_sequence_iter_is_end(at) && seen < CLAIM_SEARCH_LIMIT; seen++) {
        Step *candidate = get(plan, GPOINTER_TO_UINT(g_sequence_get(at)));
        if (claims_are_free(plan, candidate)) {
            *step = GPOINTER_TO_UINT(g_sequence_get(at));
            g_sequence_remove(at);
            hold_claims(plan, candidate, TRUE);
            candidate->state = HB_STEP_RUNNING;
            return TRUE;
        }
        at = g_sequence_iter_next(at);
    }
    return FALSE;
}

/* Left out: a step of which a hard need failed; it settles at once, and so do those that hang on it */
static void leave_out(HbPlan *plan, guint first, guint culprit, GArray *settled)
{
    get(plan, first)->state = HB_STEP_LEFT_OUT;
    get(plan, first)->culprit = culprit;
    g_array_append_val(settled, first);
}

static void notify(HbPlan *plan, guint number, GArray *settled)
{
    const Step *step = get(plan, number);
    gboolean good = step->state == HB_STEP_DONE;
    guint culprit = step->state == HB_STEP_LEFT_OUT ? step->culprit : number;

    for (guint e = 0; e < step->then->len; e++) {
        const Edge *edge = &g_array_index(step->then, Edge, e);
        Step *next = get(plan, edge->step);
        next->missing--;
        if (next->state != HB_STEP_WAITING)
            continue;
        if (!good && edge->hard)
            leave_out(plan, edge->step, culprit, settled);
        else if (next->missing == 0)
            make_ready(plan, edge->step);
    }
}

void hb_plan_settle(HbPlan *plan, guint step, HbStepState outcome)
{
    g_autoptr(GArray) settled = g_array_new(FALSE, FALSE, sizeof(guint));

    g_assert(get(plan, step)->state == HB_STEP_RUNNING);
    g_assert(outcome == HB_STEP_DONE || outcome == HB_STEP_FAILED);
    hold_claims(plan, get(plan, step), FALSE);
    get(plan, step)->state = outcome;
    g_array_append_val(settled, step);
    for (guint at = 0; at < settled->len; at++) {
        notify(plan, g_array_index(settled, guint, at), settled);
        plan->open--;
    }
}

void hb_plan_put_back(HbPlan *plan, guint step)
{
    g_assert(get(plan, step)->state == HB_STEP_RUNNING);
    hold_claims(plan, get(plan, step), FALSE);
    make_ready(plan, step);
}

gpointer hb_plan_get_what(const HbPlan *plan, guint step)
{
    return get(plan, step)->what;
}

guint64 hb_plan_get_cost(const HbPlan *plan, guint step)
{
    return get(plan, step)->cost;
}

guint64 hb_plan_get_path(const HbPlan *plan, guint step)
{
    return get(plan, step)->path;
}

gboolean hb_plan_find_next(const HbPlan *plan, guint step, guint *next)
{
    const guint following = get(plan, step)->next;

    if (following == NONE)
        return FALSE;
    *next = following;
    return TRUE;
}

HbStepState hb_plan_get_state(const HbPlan *plan, guint step)
{
    return get(plan, step)->state;
}

guint hb_plan_get_culprit(const HbPlan *plan, guint step)
{
    return get(plan, step)->culprit;
}

guint hb_plan_count(const HbPlan *plan)
{
    return plan->steps->len;
}

guint hb_plan_count_open(const HbPlan *plan)
{
    return plan->open;
}

/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/claim.h"

#include "work/run/lookout.h"

#define BEAT_EVERY_US (3 * G_TIME_SPAN_SECOND)
#define DEAD_AFTER_S  30
#define LOOK_EVERY_MS 1000
#define LOOKS_MAX     (DEAD_AFTER_S + 15)
#define REFUSED_MAX   5
#define JOIN_EVERY_MS 200
#define JOIN_LOOKS    (LOOKS_MAX * LOOK_EVERY_MS / JOIN_EVERY_MS)
#define TURN_LOOKS    120
#define TURN_EVERY_MS 500

struct HbClaim {
    const HbEngine *engine;
    HbAddress address;
    gboolean of_server;
    guint refused;      /* a part of it, one time after the other */
    gboolean is_shared; /* other hosts have parts of it; sessions that are not ours may be theirs */
    HbStop *stop;
    HbObservers *observers;
    HbSession *session; /* the thread's own once it runs */
    GThread *thread;
    GMutex lock; /* guards what follows */
    GCond ended;
    gboolean is_ended;
    char *wait;     /* the last that was seen; NULL: none */
    char *taken_by; /* another run that has the hold by now; NULL: none */
};

gboolean hb_claim_is_dead(const HbPeer *holder)
{
    return holder->id != 0 && holder->silent_s >= DEAD_AFTER_S;
}

/* ---- Dead sessions ---- */

static gboolean end_lost(HbClaim *claim, HbSession *session, GError **error)
{
    g_autoptr(GArray) alive = hb_stop_list_ids(claim->stop, claim->address.uri);
    guint ended = 0;

    if (!claim->engine->target->end_lost(session, alive, &ended, error))
        return FALSE;
    if (ended > 0)
        hb_observers_note(claim->observers, HB_SEVERITY_NOTE, NULL,
                          "ended %u session%s on the target that a broken connection had left behind", ended,
                          ended > 1 ? "s" : "");
    return TRUE;
}

gboolean hb_claim_enter(HbClaim *claim, HbSession *session, gboolean lost, GError **error)
{
    return (!lost || claim->is_shared || end_lost(claim, session, error)) &&
           claim->engine->target->serve(session, error);
}

/* ---- Taking it ---- */

static gboolean set_taken_error(const char *who, GError **error)
{
    return hb_error_set(error, HB_ERROR_BLOCKED, "wait until it has ended, or end it, then begin again",
                        "another run restores into this database now (%s); nothing was written", who);
}

static void report_waiting(HbClaim *claim, const HbPeer *holder)
{
    hb_observers_note(claim->observers, HB_SEVERITY_NOTE, NULL,
                      "%s has the hold on the target: waiting up to %d s to see whether its program is alive",
                      holder->who, DEAD_AFTER_S);
}

/* TRUE with holder->id: the holder is silent, and may be dead */
static gboolean try_once(HbClaim *claim, HbPeer *holder, GError **error)
{
    hb_peer_clear(holder);
    if (!claim->engine->target->claim(claim->session, claim->of_server, holder, error))
        return FALSE;
    if (hb_claim_is_dead(holder)) {
        hb_peer_clear(holder);
        return end_lost(claim, claim->session, error) &&
               claim->engine->target->claim(claim->session, claim->of_server, holder, error);
    }
    return TRUE;
}

/*
 * A holder whose silence became shorter is alive, and so is one of which nothing can be seen twice. A session that ends
 * may be followed by another one that ends: our own look at the target, or the next run that was killed
 */
static gboolean is_alive(const HbPeer *holder, guint64 id_before, gint64 silent_before)
{
    return holder->id == id_before && (holder->silent_s < 0 || holder->silent_s < silent_before);
}

static gboolean wait_for_it(HbClaim *claim, HbPeer *holder, GError **error)
{
    for (guint look = 0; look < LOOKS_MAX; look++) {
        const guint64 id_before = holder->id;
        const gint64 silent_before = holder->silent_s;

        if (!try_once(claim, holder, error))
            return FALSE;
        if (holder->id == 0)
            return end_lost(claim, claim->session, error);
        if (is_alive(holder, id_before, silent_before))
            break;
        if (look == 1)
            report_waiting(claim, holder);
        if (!hb_stop_sleep(claim->stop, LOOK_EVERY_MS))
            return hb_stop_set_error(error);
    }
    return set_taken_error(holder->who, error);
}

static gboolean take(HbClaim *claim, GError **error)
{
    HbPeer holder = {0};
    const gboolean ok = wait_for_it(claim, &holder, error);

    hb_peer_clear(&holder);
    return ok;
}

/* ---- Keeping it ---- */

static void give_up(HbClaim *claim, const char *who)
{
    g_mutex_lock(&claim->lock);
    if (claim->taken_by == NULL)
        claim->taken_by = g_strdup(who);
    g_mutex_unlock(&claim->lock);
    hb_stop_trigger(claim->stop);
}

/* Again for a session that has it. A part is had for certain: it is enough that the session lives */
static gboolean renew(HbClaim *claim, HbPeer *holder)
{
    gboolean asked;

    return claim->is_shared ? claim->engine->target->is_asked(claim->session, &asked, NULL)
                            : claim->engine->target->claim(claim->session, claim->of_server, holder, NULL);
}

/* A session that broke is opened again when the server lets us; its predecessor may still have the hold */
static void reopen(HbClaim *claim, HbPeer *holder)
{
    const HbTarget *target = claim->engine->target;

    claim->engine->connector->close(claim->session);
    claim->session = claim->engine->connector->open(&claim->address, NULL);
    if (claim->session != NULL &&
        (claim->is_shared
             ? target->join(claim->session, holder, NULL)
             : end_lost(claim, claim->session, NULL) && target->claim(claim->session, claim->of_server, holder, NULL)))
        return;
    claim->engine->connector->close(claim->session);
    claim->session = NULL;
}

static void look(HbClaim *claim)
{
    char *wait = NULL;

    if (!hb_lookout_ask(claim->engine, claim->session, &claim->address, "the target", claim->stop, claim->observers,
                        &wait, NULL) ||
        wait == NULL)
        return;
    g_mutex_lock(&claim->lock);
    g_free(claim->wait);
    claim->wait = wait;
    g_mutex_unlock(&claim->lock);
}

/* A hand-over waits for us */
static void hear(HbClaim *claim)
{
    gboolean asked;

    if (claim->engine->target->is_asked(claim->session, &asked, NULL) && asked)
        hb_stop_ask(claim->stop);
}

static void beat(HbClaim *claim)
{
    HbPeer holder = {0};

    if (claim->session == NULL || !renew(claim, &holder))
        reopen(claim, &holder);
    if (holder.id != 0 && claim->is_shared && ++claim->refused < REFUSED_MAX)
        g_clear_pointer(&claim->session, claim->engine->connector->close); /* one that looks at the target has it now */
    else if (holder.id != 0)
        give_up(claim, holder.who);
    else if (claim->session != NULL) {
        claim->refused = 0;
        hear(claim);
        look(claim);
    }
    hb_peer_clear(&holder);
}

static gpointer run(gpointer data)
{
    HbClaim *claim = data;

    g_mutex_lock(&claim->lock);
    while (!claim->is_ended) {
        gint64 until = g_get_monotonic_time() + BEAT_EVERY_US;
        while (!claim->is_ended && g_cond_wait_until(&claim->ended, &claim->lock, until))
            continue;
        if (claim->is_ended || hb_stop_is_set(claim->stop))
            break;
        g_mutex_unlock(&claim->lock);
        beat(claim);
        g_mutex_lock(&claim->lock);
    }
    g_mutex_unlock(&claim->lock);
    return NULL;
}

/* ---- Life ---- */

/* NULL if its session cannot be opened */
static HbClaim *claim_new(const HbEngine *engine, const HbAddress *address, HbStop *stop, HbObservers *observers,
                          GError **error)
{
    HbClaim *claim = g_new0(HbClaim, 1);

    claim->engine = engine;
    claim->address = *address;
    claim->stop = stop;
    claim->observers = observers;
    g_mutex_init(&claim->lock);
    g_cond_init(&claim->ended);
    claim->session = engine->connector->open(address, error);
    if (claim->session == NULL)
        g_clear_pointer(&claim, hb_claim_release);
    return claim;
}

static HbClaim *keep(HbClaim *claim)
{
    claim->thread = g_thread_new("claim", run, claim);
    return claim;
}

HbClaim *hb_claim_take(const HbEngine *engine, const HbAddress *address, gboolean of_server, HbStop *stop,
                       HbObservers *observers, GError **error)
{
    HbClaim *claim = claim_new(engine, address, stop, observers, error);

    if (claim == NULL)
        return NULL;
    claim->of_server = of_server;
    if (take(claim, error))
        return keep(claim);
    hb_claim_release(claim);
    return NULL;
}

/* From then on the session is the caller's */
static void end_keeping(HbClaim *claim)
{
    g_mutex_lock(&claim->lock);
    claim->is_ended = TRUE;
    g_cond_broadcast(&claim->ended);
    g_mutex_unlock(&claim->lock);
    if (claim->thread != NULL)
        g_thread_join(claim->thread);
    claim->thread = NULL;
}

void hb_claim_release(HbClaim *claim)
{
    if (claim == NULL)
        return;
    end_keeping(claim);
    claim->engine->connector->close(claim->session);
    g_mutex_clear(&claim->lock);
    g_cond_clear(&claim->ended);
    g_free(claim->wait);
    g_free(claim->taken_by);
    g_free(claim);
}

gboolean hb_claim_check(HbClaim *claim, GError **error)
{
    gboolean ok;

    if (claim == NULL)
        return TRUE;
    g_mutex_lock(&claim->lock);
    ok = claim->taken_by == NULL || set_taken_error(claim->taken_by, error);
    g_mutex_unlock(&claim->lock);
    return ok;
}

char *hb_claim_get_wait(HbClaim *claim)
{
    char *wait;

    g_mutex_lock(&claim->lock);
    wait = g_strdup(claim->wait);
    g_mutex_unlock(&claim->lock);
    return wait;
}

/* ---- Parts of it ---- */

/* Has nobody the hold, or have only others that share it? holder->id: somebody has all of it */
static gboolean try_to_join(HbClaim *claim, gboolean *begins, HbPeer *holder, GError **error)
{
    hb_peer_clear(holder);
    if (!claim->engine->target->claim(claim->session, FALSE, holder, error))
        return FALSE;
    *begins = holder->id == 0;
    if (*begins)
        return end_lost(claim, claim->session, error);
    hb_peer_clear(holder);
    if (!claim->engine->target->join(claim->session, holder, error))
        return FALSE;
    claim->is_shared = holder->id == 0;
    return !hb_claim_is_dead(holder) || end_lost(claim, claim->session, error);
}

static gboolean wait_to_join(HbClaim *claim, gboolean *begins, HbPeer *holder, GError **error)
{
    for (guint look = 0; look < JOIN_LOOKS; look++) {
        if (!try_to_join(claim, begins, holder, error))
            return FALSE;
        if (*begins || claim->is_shared)
            return TRUE;
        if (look == LOOK_EVERY_MS / JOIN_EVERY_MS)
            hb_observers_note(claim->observers, HB_SEVERITY_NOTE, NULL,
                              "%s has the hold on the target: waiting up to %d s for it to share the work", holder->who,
                              LOOKS_MAX);
        if (!hb_stop_sleep(claim->stop, JOIN_EVERY_MS))
            return hb_stop_set_error(error);
    }
    return set_taken_error(holder->who, error);
}

HbClaim *hb_claim_join(const HbEngine *engine, const HbAddress *address, HbStop *stop, HbObservers *observers,
                       gboolean *begins, GError **error)
{
    HbClaim *claim = claim_new(engine, address, stop, observers, error);
    HbPeer holder = {0};
    const gboolean ok = claim != NULL && wait_to_join(claim, begins, &holder, error);

    hb_peer_clear(&holder);
    if (!ok) {
        hb_claim_release(claim);
        return NULL;
    }
    return claim->is_shared ? keep(claim) : claim;
}

gboolean hb_claim_share(HbClaim *claim, GError **error)
{
    HbPeer holder = {0};
    const gboolean ok = claim->engine->target->join(claim->session, &holder, error) &&
                        (holder.id == 0 || set_taken_error(holder.who, error));

    hb_peer_clear(&holder);
    claim->is_shared = ok;
    if (ok)
        keep(claim);
    return ok;
}

void hb_claim_keep_alone(HbClaim *claim)
{
    claim->is_shared = FALSE;
    claim->is_ended = FALSE;
    keep(claim);
}

gboolean hb_claim_leave(HbClaim *claim, gboolean *is_last, GError **error)
{
    HbPeer holder = {0};
    gboolean ok;

    end_keeping(claim);
    if (claim->session == NULL)
        claim->session = claim->engine->connector->open(&claim->address, error);
    ok = claim->session != NULL && claim->engine->target->leave(claim->session, error) &&
         claim->engine->target->claim(claim->session, FALSE, &holder, error);
    *is_last = ok && holder.id == 0;
    hb_peer_clear(&holder);
    return ok;
}

/* ---- Waiting for it ---- */

static gboolean wait_for_turn(const HbClaimTurn *turn, HbSession *session, HbPeer *holder, GError **error)
{
    for (guint look = 0; look < TURN_LOOKS; look++) {
        hb_peer_clear(holder);
        if (!turn->engine->target->claim(session, FALSE, holder, error))
            return FALSE;
        if (holder->id == 0 || hb_claim_is_dead(holder))
            return TRUE;
        if (look == 0)
            hb_observers_note(turn->observers, HB_SEVERITY_NOTE, NULL,
                              "%s is at work in the target: it is asked to end", holder->who);
        if (!turn->engine->target->ask_holder(session, error))
            return FALSE;
        if (!hb_stop_sleep(turn->stop, TURN_EVERY_MS))
            return hb_stop_set_error(error);
    }
    return set_taken_error(holder->who, error);
}

gboolean hb_claim_await_turn(const HbClaimTurn *turn, GError **error)
{
    HbSession *session = turn->engine->connector->open(turn->address, error);
    HbPeer holder = {0};
    const gboolean ok = session != NULL && wait_for_turn(turn, session, &holder, error);

    hb_peer_clear(&holder);
    turn->engine->connector->close(session);
    return ok;
}

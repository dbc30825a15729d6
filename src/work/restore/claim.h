/* SPDX-License-Identifier: Apache-2.0 */
/*
 * claim - a restore's hold on its target, so that no other works there at the same time.
 *
 * A session of its own has the hold, proves every few seconds that we are alive, and looks what the others wait for.
 * A run that finds a holder silent for long knows that its program is gone, or its network. It ends that run's
 * sessions, so that nothing waits behind their locks.
 */
#pragma once

#include "work/run/observer.h"
#include "work/run/stop.h"

typedef struct HbClaim HbClaim;

/* Has the holder been silent for so long that its program cannot be alive? */
gboolean hb_claim_is_dead(const HbPeer *holder);

/*
 * Waits until a silent holder has spoken or is dead, not longer than that takes. HB_ERROR_BLOCKED if another run is at
 * work. What is given must outlive it
 */
HbClaim *hb_claim_take(const HbEngine *engine, const HbAddress *address, gboolean of_server, HbStop *stop,
                       HbObservers *observers, GError **error);
void hb_claim_release(HbClaim *claim); /* accepts NULL */

/*
 * ---- Several hosts on one restore ----
 *
 * Each has a part of the hold, so that no other run can have it. The first finds nobody, *begins, and has it all until
 * it shares it; the others wait for that. HB_ERROR_BLOCKED: a run that shares nothing is at work.
 * leave(): this host needs its part no more; *is_last: nobody has one any more, and this host has all of it again. To
 * be asked again until the last is known
 */
HbClaim *hb_claim_join(const HbEngine *engine, const HbAddress *address, HbStop *stop, HbObservers *observers,
                       gboolean *begins, GError **error);
gboolean hb_claim_share(HbClaim *claim, GError **error);
gboolean hb_claim_leave(HbClaim *claim, gboolean *is_last, GError **error);
void hb_claim_keep_alone(HbClaim *claim); /* the last goes on, as one that shares nothing */

/* A session begins to work for it. lost: another one was lost before, which must not stay in our way */
gboolean hb_claim_enter(HbClaim *claim, HbSession *session, gboolean lost, GError **error);

/* What was last waited for on the target, and which session held it; NULL: nothing. The caller's */
char *hb_claim_get_wait(HbClaim *claim);

/* The hold went to another run while ours was silent: all that is ours is stopped. HB_ERROR_BLOCKED; otherwise TRUE */
gboolean hb_claim_check(HbClaim *claim, GError **error);

/* Whoever waits for the hold, without taking it */
typedef struct {
    const HbEngine *engine;
    const HbAddress *address;
    HbStop *stop;
    HbObservers *observers;
} HbClaimTurn;

/* Asks the holder, if there is one, to end its work when it can, as one that keeps a copy up does, and waits a minute
 * at most. HB_ERROR_BLOCKED: it has not ended */
gboolean hb_claim_await_turn(const HbClaimTurn *turn, GError **error);

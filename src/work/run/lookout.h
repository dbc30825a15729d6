/* SPDX-License-Identifier: Apache-2.0 */
/*
 * lookout - says whom the work waits for.
 *
 * A thread of its own looks whether the work still moves. When nothing has come for a while, it asks the server, in a
 * session that it opens for that, what our sessions there wait for, and tells the observers (HB_EVENT_WAITING).
 */
#pragma once

#include "work/run/observer.h"
#include "work/run/stop.h"

typedef struct HbLookout HbLookout;

/* whose: "source" or "target". NULL if there are no observers. What is given must outlive it */
HbLookout *hb_lookout_start(const HbEngine *engine, const HbAddress *address, const char *whose, HbStop *stop,
                            HbObservers *observers);
void hb_lookout_end(HbLookout *lookout); /* accepts NULL */

/*
 * Asks once, in a session of the caller's, what our sessions at its address wait for, and tells the observers if
 * nothing has come for a while. *wait NULL: nothing, as far as can be seen. The caller's
 */
gboolean hb_lookout_ask(const HbEngine *engine, HbSession *session, const HbAddress *address, const char *whose,
                        HbStop *stop, HbObservers *observers, char **wait, GError **error);

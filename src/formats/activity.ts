/** Activity as CloudEvents 1.0 (https://cloudevents.io, the JSON event format): who opened and edited what. */
import { z } from 'zod';

/** `subject` is the item's id; `data` names who did it. Attributes beyond these are let be. */
export const eventSchema = z.object({
  specversion: z.literal('1.0'),
  id: z.string().min(1).max(512),
  source: z.string().min(1).max(4096),
  type: z.string().min(1).max(512),
  subject: z.string().min(1).max(512),
  time: z.string().refine((t) => !Number.isNaN(Date.parse(t)), 'is not an RFC 3339 time'),
  data: z.union([
    z.object({ user: z.string().min(1).max(512) }),
    z.object({ email: z.string().min(1).max(4096) }),
  ]),
});
export type ActivityEvent = z.infer<typeof eventSchema>;

const OPENED = 'org.gatelantern.item.opened';
const EDITED = 'org.gatelantern.item.edited';

/** What an event says of use; undefined where its type is about something else. */
export function activityOf(
  e: ActivityEvent,
): { item: string; actor: string; opened: number | null; edited: number | null } | undefined {
  if (e.type !== OPENED && e.type !== EDITED) return undefined;
  const at = Date.parse(e.time);
  return {
    item: e.subject,
    actor: 'user' in e.data ? e.data.user : e.data.email.toLowerCase(),
    opened: e.type === OPENED ? at : null,
    edited: e.type === EDITED ? at : null,
  };
}

/** Activity as CloudEvents 1.0 (https://cloudevents.io, the JSON event format): who opened and edited what. */
import { z } from 'zod';
import { addressName } from '../core/access/addresses.ts';
import { momentOf } from '../core/time.ts';
import { ACCOUNT, oneOf, timeSchema } from './rows.ts';

/** `subject` is the item's id; `data` names who did it. Attributes beyond these are let be. */
export const eventSchema = z.object({
  specversion: z.literal('1.0'),
  id: z.string().min(1).max(512),
  source: z.string().min(1).max(4096),
  type: z.string().min(1).max(512),
  subject: z.string().min(1).max(512),
  time: timeSchema,
  data: oneOf(ACCOUNT),
});
export type ActivityEvent = z.infer<typeof eventSchema>;

const OPENED = 'org.gatelantern.item.opened';
const EDITED = 'org.gatelantern.item.edited';

/** What an event says of use; undefined where its type is about something else. */
export function activityOf(
  e: ActivityEvent,
): { item: string; actor: string; opened: number | null; edited: number | null } | undefined {
  if (e.type !== OPENED && e.type !== EDITED) return undefined;
  const at = momentOf(e.time);
  return {
    item: e.subject,
    actor: 'user' in e.data ? e.data.user : addressName(e.data.email),
    opened: e.type === OPENED ? at : null,
    edited: e.type === EDITED ? at : null,
  };
}

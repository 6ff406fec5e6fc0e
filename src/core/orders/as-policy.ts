/** What an order asks and does, as a policy of one rule: it is judged and responded to as rules are. */
import type { Subject } from '../guard/kinds.ts';
import type { RuleResponse } from '../guard/responses.ts';
import type { Policy } from '../guard/schema.ts';

/** The id of its rule. */
export const ONLY_RULE = 'order';

export const asPolicy = (
  name: string,
  subject: Subject,
  condition: string,
  responses: RuleResponse[],
): Policy => ({
  format: 'gate-lantern-policy',
  version: 1,
  name,
  rules: [
    {
      id: ONLY_RULE,
      name,
      subject,
      atRest: true,
      if: condition,
      mode: 'enforce',
      severity: 'low',
      responses,
    },
  ],
});

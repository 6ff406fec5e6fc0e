import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { heldForm, inviteForm } from '../../../dto/forms.ts';
import { nothing, number } from '../../../dto/inputs.ts';

export const GET = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.admin.list(),
});

/** Invites somebody: the token is told once. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: inviteForm,
  run: ({ app, input, account }) => app.admin.invite(input, account.address),
});

const id = number;
const role = inviteForm.shape.role;

/** What a steward does with another's account. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.discriminatedUnion('act', [
    z.object({ id, act: z.enum(['disable', 'enable', 'endSessions', 'invite', 'resetSecond']) }),
    z.object({ id, act: z.literal('role'), role }),
    z.object({ id, act: z.literal('hold'), held: heldForm.nullable() }),
    z.object({ id, act: z.literal('confirm'), approved: z.boolean() }),
  ]),
  run: async ({
    app: { admin },
    input,
    account: { address },
  }): Promise<{ token?: string; asked?: boolean }> => {
    switch (input.act) {
      case 'role':
        return admin.setRole(input.id, input.role, address);
      case 'invite':
        return admin.inviteAgain(input.id, address);
      case 'confirm':
        await admin.confirm(input.id, input.approved, address);
        return {};
      case 'endSessions':
        await admin.endSessions(input.id, address);
        return {};
      case 'hold':
        await admin.setHeld(input.id, input.held, address);
        return {};
      case 'resetSecond':
        await admin.resetSecond(input.id, address);
        return {};
      default:
        await admin.setActive(input.id, input.act === 'enable', address);
        return {};
    }
  },
});

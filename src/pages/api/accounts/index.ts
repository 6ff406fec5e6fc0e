import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { heldForm, inviteForm } from '../../../dto/forms.ts';
import { siteOf } from '../_session.ts';
import { nothing, number } from '../../../dto/inputs.ts';

export const GET = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.admin.list(),
});

/** Invites somebody by mail; where none can be sent, the token is told once. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: inviteForm,
  run: async ({ app, input, account, context }) => {
    const { token, ...made } = await app.admin.invite(input, account.address);
    return { ...made, ...(await app.mail.invite(siteOf(context).origin, account.name, { ...input, token })) };
  },
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
    app,
    input,
    account,
    context,
  }): Promise<{ token?: string; asked?: boolean; mailed?: true; trouble?: string }> => {
    const { admin } = app;
    const { address } = account;
    switch (input.act) {
      case 'role':
        return admin.setRole(input.id, input.role, address);
      case 'invite': {
        const again = await admin.inviteAgain(input.id, address);
        return app.mail.invite(siteOf(context).origin, account.name, again);
      }
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

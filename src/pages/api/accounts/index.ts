import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { heldForm, inviteForm } from '../../../dto/forms.ts';
import type { Account } from '../../../dto/accounts.ts';
import type { App } from '../../../services/app.ts';
import { invitation } from '../../../services/mail.ts';
import type { Site } from '../../../services/second-factor.ts';
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
    return { ...made, ...(await handed(app, siteOf(context), account, { ...input, token })) };
  },
});

/** Sends an invitation; what could not be sent is told instead, with why. */
async function handed(
  app: App,
  { origin }: Site,
  by: Account,
  { name, address, token }: { name: string; address: string; token: string },
): Promise<{ token?: string; mailed?: true; trouble?: string }> {
  if (!app.mail.is) return { token };
  try {
    await app.mail.send(address, ...invitation(name, by.name, `${origin}/welcome#${token}`));
    return { mailed: true };
  } catch (e) {
    return { token, trouble: (e as Error).message };
  }
}

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
        return handed(app, siteOf(context), account, again);
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

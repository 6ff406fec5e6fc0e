import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { siteOf } from '../_session.ts';
import { codeForm, passkeyNameForm, proofForm } from '../../../dto/forms.ts';
import { nothing, number, passkeyMade } from '../../../dto/inputs.ts';

/** One's own second factor. */
export const GET = endpoint({
  role: 'owner',
  scope: 'account',
  input: nothing,
  unproven: true,
  session: true,
  run: async ({ app: { second, accounts }, account }) => ({
    ...(await second.state(account.id)),
    demanded: accounts.demands(account.role),
    hasPassword: await accounts.hasPassword(account.id),
  }),
});

const { password } = proofForm.shape;

/** Begins, with one's password, what a proof ends: a seed to be scanned, a question to a passkey; or makes recovery codes. */
export const POST = endpoint({
  role: 'owner',
  scope: 'account',
  input: z.object({ act: z.enum(['code', 'passkey', 'recovery']), password }),
  unproven: true,
  session: true,
  run: async ({ app: { second, accounts }, input, account, context }) => {
    await accounts.prove(account, input.password);
    return {
      ...(input.act === 'code' && { code: await second.beginCode(account) }),
      ...(input.act === 'passkey' && { passkey: await second.beginPasskey(account, siteOf(context)) }),
      ...(input.act === 'recovery' && { recovery: await second.newCodes(account) }),
    };
  },
});

/** Ends it: recovery codes come with the first factor of all, once. */
export const PUT = endpoint({
  role: 'owner',
  scope: 'account',
  input: z.union([codeForm, passkeyNameForm.extend({ passkey: passkeyMade })]),
  unproven: true,
  session: true,
  run: async ({ app: { second, accounts }, input, account, token, context }) => {
    const also = accounts.strengthened.bind(accounts, account, token);
    const recovery =
      'code' in input
        ? await second.confirmCode(account, input.code, also)
        : await second.addPasskey(account, input.name, input.passkey, siteOf(context), also);
    accounts.forget(account.id);
    return { recovery: recovery ?? null };
  },
});

/** Takes a factor away, with one's password: a passkey by its number, or the codes. */
export const DELETE = endpoint({
  role: 'owner',
  scope: 'account',
  input: proofForm.extend({ passkey: number.optional() }),
  session: true,
  run: async ({ app: { second, accounts }, input, account }) => {
    await accounts.prove(account, input.password);
    await (input.passkey === undefined
      ? second.removeCode(account)
      : second.removePasskey(account, input.passkey));
  },
});

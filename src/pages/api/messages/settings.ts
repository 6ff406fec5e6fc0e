import { mailForm, testMailForm } from '../../../dto/forms.ts';
import { nothing } from '../../../dto/inputs.ts';
import type { MessageSettings } from '../../../dto/messages.ts';
import { endpoint } from '../_endpoint.ts';
import { problem } from '../_problem.ts';

/** How mail goes out, and how much of it waits or has failed. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: async ({ app, account }): Promise<MessageSettings> => ({
    mail: app.mail.settings,
    ready: app.mail.ready,
    byServer: app.mail.byServer,
    own: await app.outbox.ownWish(account.address),
    ...(await app.outbox.counts()),
    untold: await app.alerts.untold(),
  }),
});

/** Sets it. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: mailForm,
  run: ({ app, account, input }) => app.mail.set(input, account.address),
});

/** Sends a test message, and says whether the server has taken it. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: testMailForm,
  run: async ({ app, account, input }) => {
    try {
      await app.mail.send({
        to: input.to,
        name: '',
        subject: 'A test message from Gate Lantern',
        text: `${account.name} has sent this to see whether mail goes out. It does.`,
      });
      return { sent: true };
    } catch (e) {
      // services are bundled apart, so their errors are known by name
      if ((e as Error).name !== 'MailError') throw e;
      return problem(502, 'mail', (e as Error).message);
    }
  },
});

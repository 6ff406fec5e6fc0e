import { messagesForm } from '../../../dto/forms.ts';
import { endpoint } from '../_endpoint.ts';
import { tableEndpoint } from '../_table.ts';

/** Messages, the newest first. */
export const GET = tableEndpoint('messages');

/** Tries some again at once. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: messagesForm,
  run: ({ app, account, input }) => app.outbox.retry(input.ids, account.address),
});

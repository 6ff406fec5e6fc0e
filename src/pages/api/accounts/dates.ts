import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { datesForm } from '../../../dto/forms.ts';

/** In which language and time zone one reads dates; null for those of the browser. */
export const PUT = endpoint({
  role: 'owner',
  scope: 'account',
  input: z.object({ dates: datesForm.nullable() }),
  session: true,
  run: ({ app, input, account }) => app.accounts.setDates(account, input.dates),
});

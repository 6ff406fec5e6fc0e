import { endpoint } from '../_endpoint.ts';
import { welcomeForm } from '../../../dto/forms.ts';

/** Takes up an invitation. */
export const POST = endpoint({
  role: 'public',
  scope: 'none',
  input: welcomeForm,
  run: ({ app, input }) => app.admin.welcome(input.token, input.password),
});

import { endpoint } from './_endpoint.ts';
import { sourceForm } from '../../dto/forms.ts';
import { nothing } from '../../dto/inputs.ts';

export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.surveys.sources(),
});

export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: sourceForm,
  run: ({ app, input, account }) => app.surveys.putSource(input, account.address),
});

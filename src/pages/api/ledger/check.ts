import { endpoint } from '../_endpoint.ts';
import { nothing } from '../../../dto/inputs.ts';

export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.heads.check(),
});

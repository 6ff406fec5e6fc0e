import { endpoint } from '../_endpoint.ts';
import { nothing } from '../../../dto/inputs.ts';

/** The public key of this installation's evidence, and its thumbprint (RFC 7638). */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.evidence.key(),
});

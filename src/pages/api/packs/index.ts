import { endpoint } from '../_endpoint.ts';
import { nothing } from '../../../dto/inputs.ts';

/** Packs of data types: our own first, then those that ship. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.recognition.packs(),
});

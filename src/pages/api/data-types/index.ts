import { endpoint } from '../_endpoint.ts';
import { nothing } from '../_inputs.ts';

/** The catalogue of data types, and how often each is found. */
export const GET = endpoint({
  role: 'auditor',
  input: nothing,
  run: ({ app }) => app.recognition.types(),
});

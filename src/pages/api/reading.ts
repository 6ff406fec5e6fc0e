import { endpoint } from './_endpoint.ts';
import { nothing } from '../../dto/inputs.ts';

/** How far the last survey is read after a start; null once it is. */
export const GET = endpoint({
  role: 'owner',
  scope: 'organisation',
  input: nothing,
  early: true,
  run: ({ app }) => app.reading(),
});

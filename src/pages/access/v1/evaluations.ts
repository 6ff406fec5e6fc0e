import { evaluationsForm } from '../../../dto/decisions.ts';
import { authzen } from './_authzen.ts';

/** Several questions at once; without any it is one, as the standard has it. */
export const POST = authzen({
  input: evaluationsForm,
  run: ({ app, input, source }) => app.decisions.several(source, input),
});

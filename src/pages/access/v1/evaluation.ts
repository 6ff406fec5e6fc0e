import { evaluationForm } from '../../../dto/decisions.ts';
import { authzen } from './_authzen.ts';

/** Whether somebody may do something now. */
export const POST = authzen({
  input: evaluationForm,
  run: ({ app, input, source }) => app.decisions.evaluate(source, input),
});

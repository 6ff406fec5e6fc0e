import { evaluationForm, evaluationsForm } from '../../../dto/decisions.ts';
import { AppError } from '../../../services/errors.ts';
import { authzen } from './_authzen.ts';

/** Several questions at once; without any it is one, as the standard has it. */
export const POST = authzen({
  input: evaluationsForm,
  run: async ({ app, input, source }) => {
    if (input.evaluations?.length) return { evaluations: await app.decisions.evaluations(source, input) };
    const one = evaluationForm.safeParse(input);
    if (!one.success)
      throw new AppError(
        'input',
        400,
        one.error.issues.map((i) => `${i.path.join('.') || 'body'}: ${i.message}`).join('; '),
      );
    return app.decisions.evaluate(source, one.data);
  },
});

import { wrongRhythm } from '../../core/guard/rhythm.ts';
import { rhythmsForm } from '../../dto/forms.ts';
import { nothing } from '../../dto/inputs.ts';
import { endpoint } from './_endpoint.ts';

/** When surveys are made by themselves, and everything that waits for its time. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: async ({ app }) => ({
    settings: await app.schedule.settings(),
    waiting: await app.schedule.waiting(),
  }),
});

/** Sets when surveys are made, and by which clock everything in a rhythm goes. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: rhythmsForm.superRefine((given, ctx) => {
    for (const name of ['full', 'incremental'] as const) {
      const wrong = given[name] && wrongRhythm(given[name]);
      if (wrong) ctx.addIssue({ code: 'custom', path: [name], message: wrong });
    }
  }),
  run: ({ app, account, input }) => app.schedule.set(input, account.address),
});

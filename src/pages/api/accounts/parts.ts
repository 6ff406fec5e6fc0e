import { endpoint } from '../_endpoint.ts';
import { nothing } from '../../../dto/inputs.ts';

/** What an account can be limited to, but for spaces, which are found by name. */
export const GET = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: nothing,
  run: async ({ app }) => ({
    workspaces: (await app.surveys.sources())
      .filter((s) => s.kind !== 'directory')
      .map(({ id, name }) => ({ id, name })),
    departments: (await app.engine.ask.departments(undefined)) ?? [],
  }),
});

import { endpoint } from './_endpoint.ts';
import { z } from 'zod';
import { editSourceForm, sourceForm } from '../../dto/forms.ts';
import { nothing, text } from '../../dto/inputs.ts';

export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.surveys.sources(),
});

export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: sourceForm,
  run: ({ app, input, account }) => app.surveys.addSource(input, account.address),
});

/** Edits, pauses or resumes a source; what is left out stays. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: editSourceForm,
  run: ({ app, input: { id, ...edit }, account }) => app.surveys.editSource(id, edit, account.address),
});

export const DELETE = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ id: text(80) }),
  run: ({ app, input, account }) => app.surveys.removeSource(input.id, account.address),
});

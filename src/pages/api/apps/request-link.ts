import { z } from 'zod';
import { sponsorForm } from '../../../dto/approvals.ts';
import { endpoint } from '../_endpoint.ts';

/** The request of a link in a message, to whoever it was passed on to; nothing else. */
export const POST = endpoint({
  role: 'public',
  scope: 'none',
  input: z.object({ link: sponsorForm.shape.link }),
  run: ({ app, input }) => app.approvals.opened(input.link),
});

/** Answers it. */
export const PUT = endpoint({
  role: 'public',
  scope: 'none',
  input: sponsorForm,
  run: ({ app, input }) => app.approvals.answerLink(input),
});

/** Approvals of apps, and requests for them, as the interface knows them. */
import { z } from 'zod';
import { day, text } from './forms.ts';
import type { AppRowDto } from './apps.ts';

/** What a steward says of an app: approved for everybody or some groups, with what, until when; or refused. */
export const approvalForm = z.object({
  app: text(2200).regex(/^[^:]+:./),
  approved: z.boolean(),
  groups: z.array(text(1100)).max(50),
  scopes: z.array(text(300)).max(100),
  until: day.nullable(),
  reason: text(2000).trim().min(3, 'say why, so that whoever comes after you knows'),
});
export type ApprovalForm = z.infer<typeof approvalForm>;

/** What a steward answers to a request; an approval stands for everybody, or for some groups. */
export const answerRequestForm = z.object({
  id: z.int().min(1),
  approved: z.boolean(),
  groups: z.array(text(1100)).max(50),
  until: day.nullable(),
  answer: text(2000).trim().min(3, 'say why, so that whoever asked knows'),
});
export type AnswerRequestForm = z.infer<typeof answerRequestForm>;

/** Passes a request on to somebody of the organisation, who answers it from a link in a mail. */
export const passRequestForm = z.object({
  id: z.int().min(1),
  to: text(320)
    .trim()
    .toLowerCase()
    .pipe(z.email('needs the e-mail address of somebody of the organisation')),
});

/** What whoever it was passed on to answers: an approval of theirs ends some day. */
export const sponsorForm = z
  .object({
    link: text(100),
    approved: z.boolean(),
    until: day.nullable(),
    answer: answerRequestForm.shape.answer,
  })
  .refine((f) => !f.approved || f.until !== null, { path: ['until'], message: 'choose a last day' });
export type SponsorForm = z.infer<typeof sponsorForm>;

/** A request as whoever it was passed on to sees it. */
export interface SponsoredRequest {
  sponsor: string;
  name: string;
  publisher: string;
  verified: boolean;
  personName: string;
  reason: string;
  at: string;
  /** What it asks for, in words after “It can”. */
  scopes: string[];
  /** What it reads now; null where nobody has let it in, and once it is answered. */
  now: {
    people: number;
    everyone: boolean;
    files: number;
    heavy: number;
    points: number;
    severity: string;
  } | null;
  similar: string[];
  answered: RequestRow['answered'];
}

export interface ApprovalRow {
  id: number;
  app: string;
  name: string;
  approved: boolean;
  /** Names of groups; none: everybody. */
  groups: string[];
  scopes: string[];
  until: string | null;
  /** The last day is over. */
  over: boolean;
  reason: string;
  by: string;
  at: string;
  /** The app as it is now; null where the survey in force has none. */
  now: AppRowDto | null;
  /** What it was let in for beside what it is approved for. */
  more: string[];
}

export interface RequestRow {
  id: number;
  app: string;
  name: string;
  person: string;
  personName: string;
  scopes: string[];
  reason: string;
  at: string;
  now: AppRowDto | null;
  /** Approved apps of the same kind. */
  similar: { key: string; name: string }[];
  /** To whom it was passed on. */
  sponsor: { address: string; name: string } | null;
  answered: { at: string; by: string; approved: boolean; answer: string } | null;
}

export interface Approvals {
  requests: RequestRow[];
  approvals: ApprovalRow[];
}

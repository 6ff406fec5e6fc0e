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
  answered: { at: string; by: string; approved: boolean; answer: string } | null;
}

export interface Approvals {
  requests: RequestRow[];
  approvals: ApprovalRow[];
}

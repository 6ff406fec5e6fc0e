/** What owners of spaces are asked about, and what they can answer. */
import { z } from 'zod';

interface ReviewDeclaration {
  name: string;
  /** Whether people are asked about, or links and grants, or the space itself. */
  of: 'people' | 'shares' | 'space';
  /** What one of the things that are asked about is called. */
  words: readonly [one: string, many: string];
  /** The question, to an owner of one space. */
  asks: string;
  answers: readonly ReviewAnswer[];
  /** What is done where silence means that something is. */
  silent: ReviewAnswer | undefined;
  /** So long one of them takes, in seconds: an estimate that whoever begins a round is shown as such. */
  seconds: number;
  /** Which spaces it is about, where a steward has said nothing else. */
  where: string;
  /** Those who might own it are asked one after another, the likeliest first. */
  inTurn?: true;
}

/** What can be answered of one thing. */
export const REVIEW_ANSWERS = {
  keep: 'Keep',
  remove: 'Remove',
  until: 'Keep until a day',
  archive: 'Archive',
  delete: 'Delete',
  own: 'Yes, I own it',
  decline: 'No, not me',
  charter: 'This is what it is for',
} as const;
export type ReviewAnswer = keyof typeof REVIEW_ANSWERS;
export const REVIEW_ANSWER_NAMES = Object.keys(REVIEW_ANSWERS) as ReviewAnswer[];

export const REVIEWS = {
  guests: {
    name: 'Guests',
    of: 'people',
    words: ['guest', 'guests'],
    asks: 'Who from outside should still have access to it?',
    answers: ['keep', 'remove', 'until'],
    silent: 'remove',
    seconds: 20,
    where: 'kind != "personal-drive" && external > 0',
  },
  shares: {
    name: 'Links and outside shares',
    of: 'shares',
    words: ['link or share', 'links and shares'],
    asks: 'Which sharing links and outside shares are still needed?',
    answers: ['keep', 'remove', 'until'],
    silent: 'remove',
    seconds: 25,
    where: 'kind != "personal-drive"',
  },
  'own-links': {
    name: 'Wide links of one’s own',
    of: 'shares',
    words: ['link or share', 'links and shares'],
    asks: 'Which of your own sharing links and outside shares are still needed?',
    answers: ['keep', 'remove', 'until'],
    silent: 'remove',
    seconds: 25,
    where: 'kind == "personal-drive"',
  },
  members: {
    name: 'Members',
    of: 'people',
    words: ['member', 'members'],
    asks: 'Who should still have access to it?',
    answers: ['keep', 'remove'],
    silent: 'remove',
    seconds: 10,
    where: 'kind != "personal-drive" && weight >= 2',
  },
  needed: {
    name: 'Still needed',
    of: 'space',
    words: ['space', 'spaces'],
    asks: 'Is it still needed?',
    answers: ['keep', 'until', 'archive', 'delete'],
    silent: 'archive',
    seconds: 40,
    where: 'dormant && kind != "personal-drive"',
  },
  owner: {
    name: 'Who owns it',
    of: 'space',
    words: ['space', 'spaces'],
    asks: 'Nobody owns it any more. Will you?',
    answers: ['own', 'decline'],
    silent: undefined,
    seconds: 30,
    where: 'activeOwners == 0 && kind != "personal-drive"',
    inTurn: true,
  },
  charter: {
    name: 'What it is for',
    of: 'space',
    words: ['space', 'spaces'],
    asks: 'What is it for, and how sensitive is what is in it?',
    answers: ['charter'],
    silent: undefined,
    seconds: 45,
    where: 'sensitivity == "" && kind != "personal-drive"',
  },
} as const satisfies Record<string, ReviewDeclaration>;
export type ReviewKind = keyof typeof REVIEWS;
export const REVIEW_KINDS = Object.keys(REVIEWS) as ReviewKind[];
export const reviewOf = (kind: ReviewKind): ReviewDeclaration => REVIEWS[kind];

/** What is done about what nobody has answered, when the time is over. */
export const SILENCE = {
  keep: 'It stays as it is.',
  remove: 'It is removed; a space is archived.',
  stewards: 'It goes to the stewards, who answer or leave it.',
} as const;
/** Who is asked next, where nobody has answered in time. */
export const NEXT = {
  nobody: 'Nobody',
  manager: 'The managers of those who were asked',
  stewards: 'The stewards',
} as const;

export const SILENCE_NAMES = Object.keys(SILENCE) as (keyof typeof SILENCE)[];
export const NEXT_NAMES = Object.keys(NEXT) as (keyof typeof NEXT)[];

const days = (least: number, most: number) => z.int().min(least).max(most);

export const roundSchema = z
  .strictObject({
    name: z.string().trim().min(1).max(200),
    kind: z.enum(REVIEW_KINDS),
    /** A condition over spaces. */
    where: z.string().trim().min(1).max(2000),
    /** Of these spaces alone, by key. */
    spaces: z.array(z.string().max(1100).startsWith('space:')).min(1).max(20_000).optional(),
    /** What owners are told beside the question. */
    note: z.string().trim().max(1000).default(''),
    /** So many days there are to answer. */
    days: days(1, 180).default(14),
    /** So many days before the end they are reminded. */
    remind: z.array(days(1, 179)).max(5).default([7, 2]),
    next: z.enum(NEXT_NAMES).default('manager'),
    /** So many days whoever is asked next has. */
    nextDays: days(1, 180).default(7),
    silence: z.enum(SILENCE_NAMES).default('stewards'),
    /** One person is asked about no more at once, unless one space alone has more. */
    most: z.int().min(1).max(1000).default(40),
    /** Spread over so many weeks, the most exposed first. */
    weeks: z.int().min(1).max(52).default(1),
  })
  .refine((r) => r.remind.every((d) => d < r.days), {
    path: ['remind'],
    message: 'reminds before it is asked',
  })
  .refine((r) => r.silence !== 'remove' || reviewOf(r.kind).silent, {
    path: ['silence'],
    message: 'cannot be done without an answer',
  });
export type Round = z.infer<typeof roundSchema>;
export type RoundInput = z.input<typeof roundSchema>;

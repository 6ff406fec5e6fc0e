/** What owners of spaces are asked about, and what they can answer. */
import { z } from 'zod';

interface ReviewDeclaration {
  name: string;
  /** Whether people are asked about, or links and grants. */
  of: 'people' | 'shares';
  /** What one of the things that are asked about is called. */
  words: readonly [one: string, many: string];
  /** The question, to an owner of one space. */
  asks: string;
  answers: readonly ReviewAnswer[];
  /** So long one of them takes, in seconds: an estimate that whoever begins a round is shown as such. */
  seconds: number;
  /** Which spaces it is about, where a steward has said nothing else. */
  where: string;
}

/** What can be answered of one thing. */
export const REVIEW_ANSWERS = {
  keep: 'Keep',
  remove: 'Remove',
  until: 'Keep until a day',
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
    seconds: 20,
    where: 'kind != "personal-drive" && external > 0',
  },
  shares: {
    name: 'Links and outside shares',
    of: 'shares',
    words: ['link or share', 'links and shares'],
    asks: 'Which sharing links and outside shares are still needed?',
    answers: ['keep', 'remove', 'until'],
    seconds: 25,
    where: 'kind != "personal-drive"',
  },
  'own-links': {
    name: 'Wide links of one’s own',
    of: 'shares',
    words: ['link or share', 'links and shares'],
    asks: 'Which of your own sharing links and outside shares are still needed?',
    answers: ['keep', 'remove', 'until'],
    seconds: 25,
    where: 'kind == "personal-drive"',
  },
  members: {
    name: 'Members',
    of: 'people',
    words: ['member', 'members'],
    asks: 'Who should still have access to it?',
    answers: ['keep', 'remove'],
    seconds: 10,
    where: 'kind != "personal-drive" && weight >= 2',
  },
} as const satisfies Record<string, ReviewDeclaration>;
export type ReviewKind = keyof typeof REVIEWS;
export const REVIEW_KINDS = Object.keys(REVIEWS) as ReviewKind[];
export const reviewOf = (kind: ReviewKind): ReviewDeclaration => REVIEWS[kind];

/** What is done about what nobody has answered, when the time is over. */
export const SILENCE = {
  keep: 'It is kept.',
  remove: 'It is removed.',
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
  });
export type Round = z.infer<typeof roundSchema>;
export type RoundInput = z.input<typeof roundSchema>;

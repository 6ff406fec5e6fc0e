/**
 * Every view, declared once: the course bar, the scope line, the command line, page titles and the tests read it
 * here. A view's component stands in views/STEP/, and its page in pages/ (docs/adding.md).
 */

import type { Account } from '../dto/accounts.ts';

export interface View {
  name: string;
  path: string;
  /** The question that it answers, as its title says it. */
  asks: string;
  /** It can be asked as of an earlier survey. */
  past?: true;
  /** Changes can be picked up in it. */
  picks?: true;
  /** It is about the whole organisation: whoever is limited to a part has none of it. */
  whole?: true;
  /** Name of its picture in docs/screenshots. */
  picture?: string;
}
export interface Step {
  name: string;
  views: readonly View[];
}

export const STEPS: readonly Step[] = [
  {
    name: 'Survey',
    views: [
      {
        name: 'Sources',
        path: '/survey/sources',
        whole: true,
        asks: 'Where does what we know come from, and how did the last survey go?',
        picture: 'sources',
      },
      {
        name: 'Holdings',
        path: '/survey/holdings',
        picks: true,
        asks: 'What is there, and how far can it be reached?',
        past: true,
        picture: 'holdings',
      },
      {
        name: 'People & groups',
        path: '/survey/people',
        picks: true,
        asks: 'What can each person, group and outside domain reach?',
        past: true,
        picture: 'people',
      },
      {
        name: 'Changes',
        path: '/survey/changes',
        picks: true,
        asks: 'What changed between two surveys, and by which change?',
        past: true,
        picture: 'changes',
      },
    ],
  },
  {
    name: 'Exposure',
    views: [
      {
        name: 'Watch',
        path: '/exposure/watch',
        picks: true,
        asks: 'What is new, what matters most, and where to begin?',
        picture: 'watch',
      },
      {
        name: 'Findings',
        path: '/exposure/findings',
        picks: true,
        asks: 'What is exposed, and how did it come to be?',
        picture: 'findings',
      },
      {
        name: 'Causes',
        path: '/exposure/causes',
        picks: true,
        asks: 'Which single changes would close most?',
        past: true,
      },
      {
        name: 'Contents',
        path: '/exposure/contents',
        picks: true,
        asks: 'Which sensitive content lies where?',
        past: true,
        picture: 'contents',
      },
      {
        name: 'Outside',
        path: '/exposure/outside',
        picks: true,
        asks: 'Which outside domains can reach what?',
        past: true,
        picture: 'outside',
      },
      {
        name: 'Apps',
        path: '/exposure/apps',
        picks: true,
        asks: 'What could third-party apps really read, and who let them in?',
        past: true,
        picture: 'apps',
      },
      {
        name: 'Cross-tab',
        path: '/exposure/cross-tab',
        picks: true,
        asks: 'How much is there of what, by any two or three dimensions?',
        past: true,
        picture: 'cross-tab',
      },
    ],
  },
  {
    name: 'Remedy',
    views: [
      {
        name: 'Plans',
        path: '/remedy/plans',
        asks: 'What is to be changed, whom does it hurt, and did it take?',
        picture: 'plan-proven',
      },
      {
        name: 'Quarantine',
        path: '/remedy/quarantine',
        picks: true,
        asks: 'What is in quarantine, and who could reach it if it were released?',
      },
    ],
  },
  {
    name: 'Guard',
    views: [
      {
        name: 'Policies',
        path: '/guard/policies',
        whole: true,
        asks: 'Which rules hold, and what do they hit?',
        picture: 'policies',
      },
      {
        name: 'Coverage',
        path: '/guard/coverage',
        whole: true,
        asks: 'Which spaces, files and people is any rule about?',
      },
      {
        name: 'Decisions',
        path: '/guard/decisions',
        whole: true,
        asks: 'What was refused or cautioned as it was about to be done, and by which rule?',
      },
      {
        name: 'App approvals',
        path: '/guard/apps',
        whole: true,
        asks: 'Which apps are asked for, approved or refused, and until when?',
      },
      {
        name: 'Orders',
        path: '/guard/orders',
        whole: true,
        asks: 'What is done by itself when something happens, and how far has it come?',
        picture: 'order',
      },
      {
        name: 'Coaching',
        path: '/guard/coaching',
        whole: true,
        asks: 'Who is told how often, what do they answer, and does it happen again?',
      },
      {
        name: 'Signals',
        path: '/guard/signals',
        whole: true,
        asks: 'What happened that somebody should look at?',
        picture: 'signal',
      },
      {
        name: 'Events',
        path: '/guard/events',
        whole: true,
        asks: 'What happened at the workspaces, when, and by whom?',
        picture: 'events',
      },
      {
        name: 'Data types',
        path: '/guard/data-types',
        asks: 'What is recognised, and how surely?',
        picture: 'data-types',
      },
    ],
  },
  {
    name: 'Review',
    views: [
      {
        name: 'Rounds',
        path: '/review/rounds',
        whole: true,
        asks: 'Who is asked what, who has answered, and what came of it?',
        picture: 'rounds',
      },
      {
        name: 'Charters',
        path: '/review/charters',
        whole: true,
        asks: 'What is each space for, and is it set accordingly?',
        picture: 'charters',
      },
      {
        name: 'Dormant',
        path: '/review/dormant',
        whole: true,
        asks: 'In which spaces does nothing happen any more, and who says whether they are needed?',
      },
      {
        name: 'Ownerless',
        path: '/review/ownerless',
        whole: true,
        asks: 'Which spaces does nobody own any more, and who should?',
      },
    ],
  },
  {
    name: 'Record',
    views: [
      {
        name: 'Ledger',
        path: '/record/ledger',
        whole: true,
        asks: 'What was done, by whom, and is the record intact?',
        picture: 'ledger',
      },
      {
        name: 'Messages',
        path: '/record/messages',
        whole: true,
        asks: 'What was sent to whom, what waits, and what did not arrive?',
      },
      {
        name: 'Schedule',
        path: '/record/schedule',
        whole: true,
        asks: 'What runs by itself, and when?',
      },
    ],
  },
];

/** The steps with the views that there are for an account. */
export const stepsFor = (account: Pick<Account, 'held'>): readonly Step[] =>
  account.held ? STEPS.map((s) => ({ ...s, views: s.views.filter((v) => !v.whole) })) : STEPS;

/** The view of a path; undefined where there is none. */
export const viewOf = (path: string): View | undefined =>
  STEPS.flatMap((s) => s.views).find((v) => v.path === path);

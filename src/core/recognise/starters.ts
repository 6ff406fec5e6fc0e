/** Data types to begin one's own from: what is copied is changed freely, and never linked. */
import type { CustomType } from './custom.ts';

export const STARTERS: readonly CustomType[] = [
  {
    id: 'contract',
    name: 'Contract',
    weight: 2,
    certainty: 50,
    match: {
      atLeast: 2,
      of: [
        { words: ['contract', 'agreement', 'kontrakt', 'avtale', 'overeenkomst', 'leping'] },
        { words: ['party', 'parties', 'undersigned', 'hereinafter', 'herein', 'partene', 'partijen'] },
        {
          words: [
            'term',
            'termination',
            'governing law',
            'liability',
            'confidentiality',
            'oppsigelse',
            'opzegging',
          ],
        },
      ],
    },
    context: ['signed', 'signature', 'annex'],
    cases: [
      { text: 'This agreement is made between the parties named below.', matches: true },
      { text: 'The agreement was that we meet on Thursday.', matches: false },
    ],
  },
  {
    id: 'unannounced',
    name: 'Unannounced',
    weight: 3,
    certainty: 60,
    match: {
      words: [
        'unannounced',
        'not to be told before',
        'not for release',
        'under embargo',
        'embargoed until',
        'before the announcement',
        'ikke offentlig',
        'niet openbaar',
        'avaldamata',
      ],
    },
    context: ['board', 'route', 'merger', 'press'],
    cases: [
      { text: 'Not to be told before the announcement.', matches: true },
      { text: 'The announcement is on the notice board.', matches: false },
    ],
  },
  {
    id: 'medical-certificate',
    name: 'Medical certificate number of our own form',
    weight: 3,
    certainty: 55,
    match: { pattern: '\\b(?:MC|ENG1)[-/ ]?\\d{5,8}\\b' },
    context: ['fitness', 'medical', 'certificate', 'seafarer'],
    cases: [
      { text: 'fitness certificate MC-204118', matches: true },
      { text: 'room MC-20', matches: false },
    ],
  },
  {
    id: 'person-and-number',
    name: 'Card or account beside a name list',
    weight: 3,
    certainty: 50,
    match: {
      find: {
        any: [
          { type: 'payment-card', certainty: 30 },
          { type: 'iban', certainty: 55 },
        ],
      },
      near: { words: ['passenger', 'customer', 'employee', 'crew'] },
      within: 120,
    },
    context: [],
    cases: [
      { text: 'passenger Lee, card 4539 1488 0343 6467', matches: true },
      { text: 'card 4539 1488 0343 6467', matches: false },
    ],
  },
  {
    id: 'any-document',
    name: 'Any document',
    weight: 1,
    certainty: 100,
    match: { everything: true },
    context: [],
    cases: [{ text: '', matches: true }],
  },
];

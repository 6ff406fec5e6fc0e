import { describe, expect, it } from 'vitest';
import { recommendPerson, recommendShare, type PersonFacts, type ShareFacts } from './recommend.ts';

const person: PersonFacts = { idleHere: 50, since: 400, partner: false, lookAlike: false };
const share: ShareFacts = {
  anyone: false,
  outside: true,
  partner: false,
  lookAlike: false,
  weight: 0,
  types: [],
  unused: 50,
  ends: false,
};

describe('what is recommended of somebody', () => {
  it.each<[string, Partial<PersonFacts>, string | undefined]>([
    ['who was here lately', { idleHere: 3 }, 'keep'],
    ['who was last here long ago', { idleHere: 140 }, 'remove'],
    ['who never opened anything in months', { idleHere: null, since: 91 }, 'remove'],
    ['who was let in last week', { idleHere: null, since: 7 }, undefined],
    ['of whom it is not known since when', { idleHere: null, since: null }, undefined],
    ['who was here some weeks ago', {}, undefined],
    ['with an address that looks like another’s, here yesterday', { lookAlike: true, idleHere: 1 }, 'remove'],
  ])('%s', (_, facts, what) => {
    expect(recommendPerson({ ...person, ...facts })?.what).toBe(what);
  });
});

describe('what is recommended of a link or share', () => {
  it.each<[string, Partial<ShareFacts>, string | undefined]>([
    ['for anyone, to something sensitive, used today', { anyone: true, weight: 3, unused: 0 }, 'remove'],
    ['for anyone, to nothing sensitive, used today', { anyone: true, unused: 0 }, 'keep'],
    ['not used for months', { unused: 90 }, 'remove'],
    ['to a partner, used last week', { partner: true, weight: 3, unused: 7 }, 'keep'],
    ['to somebody outside, sensitive, used last week, without an end', { weight: 2, unused: 7 }, 'until'],
    [
      'to somebody outside, sensitive, used last week, that ends',
      { weight: 2, unused: 7, ends: true },
      undefined,
    ],
    ['of which no use is known', { unused: null }, undefined],
  ])('%s', (_, facts, what) => {
    expect(recommendShare({ ...share, ...facts })?.what).toBe(what);
  });

  it('says why, with what it holds', () => {
    expect(recommendShare({ ...share, anyone: true, weight: 3, types: ['Bank account (IBAN)'] })).toEqual({
      what: 'remove',
      why: 'Anyone who has the link can open it, and it holds Bank account (IBAN).',
    });
  });
});

import { describe, expect, it } from 'vitest';
import { previewDiffers, stillHolds, type Foretold } from './preview.ts';

const preview = (more: Partial<Foretold> = {}): Foretold => ({
  survey: 7,
  missing: [],
  people: [{ id: 'u1', loses: 3, reduced: 0 }],
  itemsChanged: 3,
  pointsBefore: 90,
  pointsAfter: 40,
  ...more,
});

describe('whether a preview still holds', () => {
  it('holds on the survey that it was made on, and on a newer one that says the same', () => {
    expect(stillHolds(preview(), preview(), 7)).toEqual({ state: 'holds' });
    expect(stillHolds(preview(), preview({ survey: 8 }), 8)).toEqual({ state: 'holds' });
  });

  it('is not judged by an answer from an older survey than the newest', () => {
    expect(stillHolds(preview(), preview(), 8)).toEqual({ state: 'wait' });
  });

  it('names what differs', () => {
    const now = preview({
      survey: 8,
      missing: ['grant'],
      people: [
        { id: 'u1', loses: 2, reduced: 1 },
        { id: 'u2', loses: 1, reduced: 0 },
      ],
      itemsChanged: 2,
      pointsAfter: 60,
    });
    expect(stillHolds(preview(), now, 8)).toEqual({
      state: 'differs',
      differs: [
        '1 of what it changes is not there any more',
        '1 more person loses access',
        '1 person loses different access',
        'the reach of 2 items changes, not of 3',
        'it closes 30 points, not 50',
      ],
    });
    expect(previewDiffers(now, preview()).join()).toContain('1 person no longer loses access');
  });
});

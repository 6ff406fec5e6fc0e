/** Links in messages: whole when they go out alone, and good for one question and one person. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { Secrets } from '../secrets.ts';
import { answerLink, deskLink, openLink, requestLink, SITE, withLinks } from './links.ts';
import { plainValue } from './templates.ts';

const secrets = new Secrets(Buffer.alloc(32, 7));
const sent = (text: string): string => withLinks(text, 'https://lantern.example', secrets);

const MADE = { answer: answerLink, desk: deskLink, 'app-request': requestLink };

describe('a link', () => {
  it('opens what and to whom it was made for, nothing of the other kind, and with another key nothing', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 999_999_999 }),
        fc.integer({ min: 0, max: 999 }),
        fc.constantFrom(
          ['answer', 'desk'] as const,
          ['desk', 'app-request'] as const,
          ['app-request', 'answer'] as const,
        ),
        (of, n, [opens, other]) => {
          const link = sent(MADE[opens](of, n));
          const [address, token] = link.split('#');
          expect(address).toBe(`https://lantern.example/${opens}`);
          expect(openLink(secrets, opens, token!)).toEqual({ of, n });
          expect(openLink(secrets, other, token!)).toBeUndefined();
          expect(openLink(new Secrets(Buffer.alloc(32, 8)), opens, token!)).toBeUndefined();
          expect(openLink(secrets, opens, token!.replace(/^\d+/, String(of + 1)))).toBeUndefined();
          expect(openLink(secrets, opens, token!.replace(/\.\d+/, `.${n + 1}`))).toBeUndefined();
          for (const last of 'ABCDwxyz-_')
            if (!token!.endsWith(last))
              expect(openLink(secrets, opens, token!.slice(0, -1) + last)).toBeUndefined();
        },
      ),
      { numRuns: 200 },
    );
  });

  it('is not whole where it is kept', () => {
    expect(openLink(secrets, 'answer', answerLink(7, 0).split('#')[1]!)).toBeUndefined();
    for (const wrong of ['', '1.0', '1.0.', '1.0.x', `1.0.${'A'.repeat(43)}`, '../1'])
      expect(openLink(secrets, 'answer', wrong), wrong).toBeUndefined();
  });

  it('cannot be had by a name that says it', () => {
    const name = plainValue(`${answerLink(7, 0)} ${SITE}`);
    expect(sent(name)).not.toContain('https://lantern.example');
    expect(sent(`${name} ${answerLink(8, 1)}`)).toMatch(
      /https:\/\/lantern\.example\/answer#8\.1\.[\w-]{43}$/,
    );
  });
});

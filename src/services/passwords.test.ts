import fc from 'fast-check';
import { expect, it } from 'vitest';
import { whyNotPassword } from './passwords.ts';

it('a password is long, and not one that is tried first', () => {
  for (const weak of [
    'short',
    'elevenchars',
    'password1234',
    'Password1234',
    'PASSWORD!!!1',
    '1qaz2wsx3edc',
    'aaaaaaaaaaaaaaaa',
    'abababababababab',
    'gate-lantern1',
    'Gate Lantern 2026',
    'sunniva.lunde',
    'Sunniva1234567',
    // eleven characters, however many bytes they take
    '🦊🦊🦊🦊🐙🐳🐌🦀🐝🦉🦜',
  ])
    expect(whyNotPassword(weak, ['Sunniva Lunde', 'sunniva.lunde@tarntide.example']), weak).toBeDefined();
  for (const good of [
    'correct horse battery staple',
    'a long enough one',
    'vier Fähren im Nebel',
    '橋の上の猫は魚を見ているだけ',
    // composed of nothing in particular: length is what counts
    'only lower letters and blanks',
  ])
    expect(whyNotPassword(good, ['Sunniva Lunde']), good).toBeUndefined();
});

it('the longer of two that begin alike is not weaker for what is put after it, but for what is on the lists', () => {
  fc.assert(
    fc.property(fc.string({ minLength: 16, maxLength: 64, unit: 'grapheme' }), (text) => {
      const not = whyNotPassword(text);
      if (not) expect(not).toMatch(/common|repeats|guessed|characters/);
      else expect(whyNotPassword(`${text} and a few words more`)).toBeUndefined();
    }),
    { numRuns: 300 },
  );
});

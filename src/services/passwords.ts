/**
 * Passwords that people choose (NIST SP 800-63B §3.1.1.2): long rather than composed, and none that is on a list of
 * common ones, or is made of the name of this application or of whoever chooses it.
 */
import { dictionary } from '@zxcvbn-ts/language-common';
import { AppError } from './errors.ts';

export const SHORTEST_PASSWORD = 12;
const OWN_WORDS = ['gate lantern', 'gatelantern', 'gate-lantern', 'lantern'];

let common: Set<string> | undefined;
const isCommon = (text: string): boolean =>
  (common ??= new Set(dictionary['passwords-common'] as readonly string[])).has(text);

/** A text without what people put around a word to pass for strong: digits and marks at its ends. */
const core = (text: string): string => text.replace(/^[^\p{L}]+|[^\p{L}]+$/gu, '');

/** Why a password cannot be chosen, in a sentence; undefined where it can. `about`: names and addresses of its owner. */
export function whyNotPassword(password: string, about: readonly string[] = []): string | undefined {
  // as SP 800-63B has it, one code point is one character
  const length = [...password.normalize('NFKC')].length;
  if (length < SHORTEST_PASSWORD) return `A password has at least ${SHORTEST_PASSWORD} characters.`;
  const text = password.normalize('NFKC').toLowerCase();
  const word = core(text);
  if (isCommon(text) || (isCommon(word) && word.length * 2 > length))
    return 'This password is on lists of common ones, which are tried first. Choose another.';
  if (new Set(text).size < 5) return 'This password repeats a few characters. Choose another.';
  const own = [...OWN_WORDS, ...about.flatMap((a) => [a, ...a.split(/[\s@.]+/)])]
    .map((w) => w.toLowerCase())
    .filter((w) => w.length >= 4);
  if (own.some((w) => word === w || (text.includes(w) && w.length * 2 > length)))
    return 'This password is made of a name that is easily guessed here. Choose another.';
  return undefined;
}

/** Throws, in a sentence, where a password cannot be chosen. */
export function checkPassword(password: string, about?: readonly string[]): void {
  const not = whyNotPassword(password, about);
  if (not) throw new AppError('weak-password', 422, not);
}

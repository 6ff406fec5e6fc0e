/** Words around a candidate that speak for or against it. */
import { BASE, CHECKED, isSequence } from './certainty.ts';
import { isDigit, JOINED, joinsWord, letters, UNSPACED, type Phrase, type Prepared } from './prepare.ts';
import type { DataType, Judgement, Reason } from './types.ts';

/** A phrase, and where in the part it begins and ends. */
export interface PhraseAt {
  at: number;
  end: number;
  phrase: Phrase;
}

/** Calls `visit` with each phrase that begins before a place of a text in small letters, and where it does and ends. */
export function findPhrases(
  prepared: Pick<Prepared, 'phrases' | 'phraseKeys' | 'unspaced'>,
  text: string,
  before: number,
  visit: (from: number, to: number, phrase: Phrase) => void,
): void {
  const { phrases, phraseKeys, unspaced } = prepared;
  for (let i = 0; i < before;) {
    const code = text.charCodeAt(i);
    if (JOINED[code] === 0) {
      // a script that sets no spaces: its phrases may begin anywhere
      if (code > 0xdff && UNSPACED.test(text[i]!))
        for (const phrase of unspaced)
          if (text.startsWith(phrase.text, i)) visit(i, i + phrase.text.length, phrase);
      i++;
      continue;
    }
    let end = i + 1;
    while (end < text.length && JOINED[text.charCodeAt(end)] === 1) end++;
    if (
      code > 122 ||
      phraseKeys[
        letters(code, end > i + 1 ? text.charCodeAt(i + 1) : 0, end > i + 2 ? text.charCodeAt(i + 2) : 0)
      ]
    )
      for (const phrase of phrases.get(text.slice(i, end)) ?? []) {
        const to = i + phrase.text.length;
        if (text.startsWith(phrase.text, i) && !(to < text.length && joinsWord(text.charCodeAt(to))))
          visit(i, to, phrase);
      }
    i = end;
  }
}

/**
 * What the words and characters around a candidate say of it; undefined where they leave it nothing. `near`: phrases
 * close by, in order; `heading`: those of the heading it stands under; it stands in `text` from `start` to `end`.
 */
export function reasonsAround(
  type: DataType,
  { normalised, reasons: own }: Judgement,
  near: readonly PhraseAt[],
  heading: readonly Phrase[],
  text: string,
  start: number,
  end: number,
): Reason[] | undefined {
  const reasons: Reason[] = [];
  const said: string[] = [];
  let other: string | undefined;
  for (const { phrase } of near) {
    if (phrase.context.has(type)) {
      if (!said.some((x) => x.includes(phrase.text))) said.push(phrase.text);
    } else if (phrase.otherwise.has(type)) other ??= phrase.text;
  }
  const headed = heading.find((x) => x.context.has(type));
  if (headed)
    reasons.push({ why: `it stands under “${headed.text}”`, points: type.contextPoints ?? BASE.context });
  else if (said.length)
    reasons.push({ why: `the word “${said[0]}” is near`, points: type.contextPoints ?? BASE.context });
  else {
    if (type.needsContext) return undefined;
    // a heading that speaks against it, or that names something else
    const against = heading.find((x) => x.otherwise.has(type) || x.context.size > 0);
    if (against) reasons.push({ why: `it stands under “${against.text}”`, points: BASE.otherwise });
    else if (other) reasons.push({ why: `“${other}” speaks for something else`, points: BASE.otherwise });
  }
  if (said.length > 1) reasons.push({ why: `so is “${said[1]}”`, points: BASE.near });
  if ((headed ?? said[0]) && own.some((r) => CHECKED.test(r.why)))
    reasons.push({ why: 'its check and its words agree', points: BASE.agree });
  if (type.examples.has(normalised)) reasons.push({ why: 'it is a published example', points: BASE.example });
  if (isSequence(normalised))
    reasons.push({ why: 'it is one digit repeated or a plain sequence', points: BASE.sequence });
  if (isDigit(text, start)) {
    const before = text.slice(Math.max(0, start - 5), start);
    const after = text.slice(end, end + 5);
    const grouped = /\D/.test(text.slice(start, end));
    if (grouped && (/^[ .-]\d{4}/.test(after) || /\d{4}[ .-]$/.test(before)))
      reasons.push({ why: 'more groups of digits run on beside it', points: BASE.run });
    else if (/\d[.,]$/.test(before) || /^[.]\d/.test(after))
      reasons.push({ why: 'it reads as part of a decimal number', points: BASE.run });
  }
  return reasons;
}

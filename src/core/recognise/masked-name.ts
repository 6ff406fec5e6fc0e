/** Names that hold what is sensitive, masked: whoever sees a list of files may not be one who may open them. */
import { IN_NAME, type Found, type Match } from './types.ts';
import { Scanner } from './scan.ts';
import { DATA_TYPES, dataType } from './types/index.ts';

/** Names of people’s own, such as an address of e-mail, are no secret in a name; what weighs this much is. */
const SECRET = 2;
/** What somebody types stands alone, with no word beside it that would make it surer; masking too much of it costs nothing. */
const CANDIDATE = 20;

/** A number, a key, a password: a word that makes a file worth finding, such as “dispute”, tells nothing by itself. */
const isValue = (text: string): boolean => /\p{N}/u.test(text);

/** A text with the stretches of some matches masked; where they overlap the first is. */
function withMasks(text: string, matches: readonly Match[]): string {
  let masked = '';
  let at = 0;
  for (const m of [...matches].sort((a, b) => a.start - b.start)) {
    if (m.start < at || m.end > text.length) continue;
    masked += text.slice(at, m.start) + m.masked;
    at = m.end;
  }
  return masked + text.slice(at);
}

/**
 * A file’s name without what was found in it. `from`: weight of a data type, and from which certainty its matches count;
 * undefined of one that is not known any more.
 */
export function maskedName(
  name: string,
  found: readonly Found[],
  from: (type: string) => { weight: number; from: number } | undefined,
): string {
  const matches = found.flatMap((f) => {
    const type = from(f.dataType);
    return type && type.weight >= SECRET
      ? f.matches.filter(
          (m) => m.where === IN_NAME && m.certainty >= type.from && isValue(name.slice(m.start, m.end)),
        )
      : [];
  });
  return matches.length ? withMasks(name, matches) : name;
}

/** A text that somebody typed, such as what they search for, as it may be written down: without what is sensitive in it. */
export function maskedText(text: string): string {
  const scanner = new Scanner({ types: DATA_TYPES, custom: [], keep: 50, hash: (_, value) => value });
  scanner.begin('body');
  scanner.feed(text);
  const matches = scanner
    .finish()
    .filter((f) => (dataType(f.dataType)?.weight ?? 0) >= SECRET)
    .flatMap((f) => f.matches.filter((m) => m.certainty >= CANDIDATE && isValue(text.slice(m.start, m.end))));
  return withMasks(text, matches);
}

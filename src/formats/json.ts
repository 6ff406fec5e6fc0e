/** JSON from outside. */

/** Rows are some five deep; what is nested deeper than this is no row, and whatever walks it would run out of stack. */
const DEEPEST = 100;

/** Reads JSON. Throws a SyntaxError where it is none, or is nested more than a hundred deep. */
export function parseJson(text: string): unknown {
  // as deep as there are brackets at the most: only what has many is looked at
  let depth = 0;
  let deepest = 0;
  let inText = false;
  if (brackets(text) > DEEPEST)
    for (let i = 0; i < text.length && deepest <= DEEPEST; i++) {
      const c = text.charCodeAt(i);
      if (inText) {
        if (c === 92) i++;
        else if (c === 34) inText = false;
      } else if (c === 34) inText = true;
      else if (c === 91 || c === 123) deepest = Math.max(deepest, ++depth);
      else if (c === 93 || c === 125) depth--;
    }
  if (deepest > DEEPEST) throw new SyntaxError(`nested more than ${DEEPEST} deep`);
  return JSON.parse(text);
}

/** How many opening brackets a text has, as far as it matters. */
function brackets(text: string): number {
  let n = 0;
  for (const bracket of ['[', '{'])
    for (let at = text.indexOf(bracket); at >= 0 && n <= DEEPEST; at = text.indexOf(bracket, at + 1)) n++;
  return n;
}

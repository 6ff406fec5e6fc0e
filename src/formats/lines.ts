/** Bytes into lines, without ever holding more than one line. */

export interface Line {
  number: number;
  /** Undefined where the line is longer than the limit; it is passed over. */
  text: string | undefined;
}

export const LONGEST_LINE = 16 * 1024 * 1024;

/** The lines of UTF-8 text that comes in pieces; empty ones are left out, a mark at the start too. */
export async function* linesOf(
  pieces: AsyncIterable<Uint8Array> | Iterable<Uint8Array>,
  longest = LONGEST_LINE,
): AsyncGenerator<Line[]> {
  const decoder = new TextDecoder('utf-8');
  let rest = '';
  let tooLong = false;
  let number = 0;
  const emit = (lines: Line[], text: string): void => {
    number++;
    if (tooLong || text.length > longest) lines.push({ number, text: undefined });
    else if (text !== '' && text !== '\r') lines.push({ number, text });
    tooLong = false;
    rest = '';
  };
  // only what is new is looked through, so that a line in many pieces costs no more than its length
  const cut = (text: string, last: boolean): Line[] => {
    const lines: Line[] = [];
    let from = 0;
    for (let to; (to = text.indexOf('\n', from)) >= 0; from = to + 1)
      emit(lines, rest + text.slice(from, to));
    rest += text.slice(from);
    if (rest.length > longest) {
      tooLong = true;
      rest = '';
    }
    if (last && (rest !== '' || tooLong)) emit(lines, rest);
    return lines;
  };
  for await (const piece of pieces) yield cut(decoder.decode(piece, { stream: true }), false);
  yield cut(decoder.decode(), true);
}

/** Bytes into lines, without ever holding more than one line and one piece. */
import { isUtf8 } from 'node:buffer';

export interface Line {
  number: number;
  /** Undefined where the line is passed over, for the reason in `wrong`. */
  text: string | undefined;
  wrong?: string;
}

export const LONGEST_LINE = 16 * 1024 * 1024;
const NEWLINE = 10;
const TOO_LONG = 'the line is longer than 16 MB';

/** The lines of UTF-8 text that comes in pieces; empty ones are left out, a mark at the start too. `longest` is in bytes. */
export async function* linesOf(
  pieces: AsyncIterable<Uint8Array> | Iterable<Uint8Array>,
  longest = LONGEST_LINE,
): AsyncGenerator<Line[]> {
  let rest: Buffer[] = [];
  let held = 0;
  let tooLong = false;
  let number = 0;
  const hold = (bytes: Buffer): void => {
    held += bytes.length;
    tooLong ||= held > longest;
    if (tooLong) rest = [];
    else if (bytes.length) rest.push(bytes);
  };
  /** The line that is held, and then those in whole ones: bytes that end with a line. */
  const take = (whole: Buffer): Line[] => {
    const lines: Line[] = [];
    const emit = (text: string | undefined, wrong?: string): void => {
      number++;
      if (text === undefined) lines.push({ number, text, wrong: wrong! });
      else if (text !== '' && text !== '\r') lines.push({ number, text });
    };
    const decode = (bytes: Buffer): void => {
      if (bytes.length > longest) emit(undefined, TOO_LONG);
      else if (isUtf8(bytes)) {
        const text = bytes.toString('utf8');
        emit(number === 0 ? text.replace(/^\uFEFF/, '') : text);
      } else emit(undefined, 'it is not UTF-8');
    };
    const first = whole.indexOf(NEWLINE);
    hold(whole.subarray(0, first));
    if (tooLong) emit(undefined, TOO_LONG);
    else decode(rest.length === 1 ? rest[0]! : Buffer.concat(rest));
    [rest, held, tooLong] = [[], 0, false];
    if (first + 1 === whole.length) return lines;
    const others = whole.subarray(first + 1, -1);
    if (others.length <= longest && isUtf8(others))
      for (const text of others.toString('utf8').split('\n')) emit(text);
    else
      for (let from = 0, to; from <= others.length; from = to + 1) {
        to = others.indexOf(NEWLINE, from);
        if (to < 0) to = others.length;
        decode(others.subarray(from, to));
      }
    return lines;
  };
  for await (const piece of pieces) {
    const bytes = Buffer.from(piece.buffer, piece.byteOffset, piece.byteLength);
    const last = bytes.lastIndexOf(NEWLINE);
    if (last >= 0) yield take(bytes.subarray(0, last + 1));
    hold(bytes.subarray(last + 1));
  }
  if (held) yield take(Buffer.from('\n'));
}

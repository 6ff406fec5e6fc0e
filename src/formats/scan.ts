/** A file's bytes to a scanner: text as it streams by, other kinds as a whole. */
import type { Scanner } from '../core/recognise/engine.ts';
import { DOCUMENT_LIMITS, encodingOf, kindOf, readDocument, type DocumentLimits } from './documents.ts';

/** Files that are not plain text are read whole, up to this many bytes. */
const WHOLE = 128 * 2 ** 20;
/** As much of the beginning as tells its kind. */
const HEAD = 4096;

/** Scans one file; gives what was not read of it, in words. `read`: whether anything was. */
export async function scanFile(
  scanner: Scanner,
  bytes: AsyncIterable<Uint8Array>,
  limits: DocumentLimits = DOCUMENT_LIMITS,
): Promise<{ read: boolean; left: string[] }> {
  const left: string[] = [];
  let decoder: TextDecoder | undefined;
  let held: Uint8Array[] = [];
  let size = 0;
  let text = 0;
  const asText = (chunk: Uint8Array): boolean => {
    text += chunk.length;
    scanner.feed(decoder!.decode(chunk, { stream: true }));
    return text < limits.text;
  };
  const begin = (): boolean => {
    const head = Buffer.concat(held);
    if (kindOf(head) !== 'text') return false;
    decoder = new TextDecoder(encodingOf(head));
    scanner.begin('body');
    held = [];
    return asText(head) || left.push(tooLong(limits)) > 0;
  };
  let decided = false;
  for await (const chunk of bytes) {
    if (decoder) {
      if (asText(chunk)) continue;
      left.push(tooLong(limits));
      break;
    }
    size += chunk.length;
    if (size > WHOLE) {
      left.push(`it is larger than ${WHOLE / 2 ** 20} MB and no plain text`);
      return { read: false, left };
    }
    held.push(chunk);
    if (!decided && size >= HEAD) {
      decided = true;
      begin();
    }
  }
  if (!decoder && !decided && size > 0) begin();
  if (decoder) {
    scanner.feed(decoder.decode());
    return { read: true, left };
  }
  if (size === 0) return { read: true, left };
  let part = '';
  let read = false;
  readDocument(
    Buffer.concat(held),
    {
      piece(piece) {
        read = true;
        if (part !== piece.part) scanner.begin(piece.part);
        part = piece.part;
        scanner.headed(piece.heading ?? '');
        scanner.feed(piece.text);
      },
      left: (reason) => void (left.includes(reason) || left.push(reason)),
    },
    limits,
  );
  return { read, left };
}
const tooLong = (limits: DocumentLimits): string =>
  `only the first ${Math.round(limits.text / 2 ** 20)} MB of its text`;

/** A file's bytes to a scanner: plain text as it streams by, other kinds as a whole. */
import type { Part } from '../core/model.ts';
import {
  DOCUMENT_LIMITS,
  encodingOf,
  kindOf,
  readDocument,
  type DocumentKind,
  type DocumentLimits,
  type ReadOptions,
} from './documents.ts';

/** Files that are not plain text are read whole, up to this many bytes. */
const WHOLE = 128 * 2 ** 20;
/** As much of the beginning as tells its kind. */
const HEAD = 16_384;
/** Of these the beginning can be read without the rest. */
const CAN_BE_CUT: readonly DocumentKind[] = ['table', 'json', 'mail', 'html', 'rtf'];

/** What takes the text of a file in, part by part (a `Scanner`, or whoever wants to see it). */
export interface TextSink {
  begin(part: Part): void;
  headed(heading: string): void;
  place(where: string): void;
  feed(text: string): void;
}

/** Reads one file to a sink; gives what was not read of it, in words. `read`: whether anything was. */
export async function scanFile(
  sink: TextSink,
  bytes: AsyncIterable<Uint8Array>,
  options: ReadOptions = {},
): Promise<{ read: boolean; left: string[] }> {
  const limits = options.limits ?? DOCUMENT_LIMITS;
  const left: string[] = [];
  let decoder: TextDecoder | undefined;
  let held: Uint8Array[] = [];
  let size = 0;
  let text = 0;
  const asText = (chunk: Uint8Array): boolean => {
    text += chunk.length;
    sink.feed(composed(decoder!.decode(chunk, { stream: true })));
    return text < limits.text;
  };
  let kind: DocumentKind | undefined;
  const begin = (): boolean => {
    const head = Buffer.concat(held);
    kind = kindOf(head);
    if (kind !== 'text') return true;
    decoder = new TextDecoder(encodingOf(head));
    sink.begin('body');
    held = [];
    return asText(head);
  };
  for await (const chunk of bytes) {
    if (decoder) {
      if (asText(chunk)) continue;
      left.push(tooLong(limits));
      break;
    }
    size += chunk.length;
    held.push(chunk);
    if (!kind && size >= HEAD && !begin()) {
      left.push(tooLong(limits));
      break;
    }
    if (size <= WHOLE || decoder) continue;
    left.push(tooLarge(kind));
    if (!CAN_BE_CUT.includes(kind!)) return { read: false, left };
    break;
  }
  if (!kind && size > 0) begin();
  if (decoder) {
    sink.feed(decoder.decode());
    return { read: true, left };
  }
  if (size === 0) return { read: true, left };
  let part = '';
  let read = false;
  await readDocument(
    Buffer.concat(held),
    {
      piece(piece) {
        read = true;
        if (part !== piece.part) sink.begin(piece.part);
        part = piece.part;
        sink.place(piece.where ?? '');
        sink.headed(piece.heading ?? '');
        sink.feed(composed(piece.text));
      },
      left: (reason) => void (left.includes(reason) || left.push(reason)),
    },
    options,
  );
  return { read, left };
}

/** Letters and their marks as one character each (Unicode normal form C), so that they compare as they look. */
const composed = (text: string): string =>
  /[\u0300-\u036f\u3099\u309a]/.test(text) ? text.normalize('NFC') : text;
const tooLong = (limits: DocumentLimits): string =>
  `only the first ${Math.round(limits.text / 2 ** 20)} MB of its text`;
const tooLarge = (kind?: DocumentKind): string =>
  CAN_BE_CUT.includes(kind!)
    ? `only the first ${WHOLE / 2 ** 20} MB of it`
    : `it is larger than ${WHOLE / 2 ** 20} MB and no plain text`;

/** Scans files one at a time, in a thread of its own: whatever a file does to it, the rest goes on. */
import { workerData, type MessagePort } from 'node:worker_threads';
import type { CompiledCustom } from '../../core/recognise/custom.ts';
import { Scanner } from '../../core/recognise/engine.ts';
import { DATA_TYPES, dataType } from '../../core/recognise/types/index.ts';
import type { Found } from '../../core/recognise/types.ts';
import { readCustomTypes } from '../../formats/custom-type.ts';
import { ocr } from '../../formats/ocr.ts';
import { scanFile, type TextSink } from '../../formats/scan.ts';
import { serve } from '../../jobs/rpc.ts';
import type { Part } from '../../core/model.ts';
import { valueHash } from './hash.ts';

export interface ScanThreadData {
  /** Key of the hashes by which distinct values are told apart, base64. */
  hashKey: string;
  /** Custom types as JSON. */
  custom: string;
  /** Read the text in pictures. */
  pictures: boolean;
}
const { port, hashKey, custom, pictures } = workerData as { port: MessagePort } & ScanThreadData;
const own = readCustomTypes(custom, (id) => dataType(id) !== undefined).compiled;

/** Text as it was read, for who is shown matches in place. */
export interface ReadText {
  part: Part;
  text: string;
}
export interface ScanResult {
  read: boolean;
  left: string[];
  found: Found[];
  /** Up to `show` characters of the text. */
  text?: ReadText[];
}
export interface ScanOrder {
  name: string;
  /** No content, the name alone. */
  nameOnly: boolean;
  keep: number;
  /** Give back so many characters of the text as it was read. */
  show?: number;
  /** Instead of the custom types that are in force: these, as JSON. */
  custom?: string;
}

let job:
  | { waiting: Uint8Array[]; ended: boolean; wake: () => void; taken: () => void; result: Promise<ScanResult>; over: boolean }
  | undefined; // prettier-ignore

async function* chunks(): AsyncGenerator<Uint8Array> {
  const mine = job!;
  for (;;) {
    const chunk = mine.waiting.shift();
    if (chunk) {
      mine.taken();
      yield chunk;
    } else if (mine.ended) return;
    else await new Promise<void>((resolve) => (mine.wake = resolve));
  }
}

/** Feeds a scanner and keeps the text that it was fed. */
function showing(scanner: Scanner, most: number, texts: ReadText[]): TextSink {
  let part: Part = 'body';
  let room = most;
  return {
    begin: (p) => scanner.begin((part = p)),
    headed: (heading) => scanner.headed(heading),
    place: (where) => scanner.place(where),
    feed(text) {
      scanner.feed(text);
      const last = texts[texts.length - 1];
      const taken = text.slice(0, room);
      room -= taken.length;
      if (last?.part === part) last.text += taken;
      else texts.push({ part, text: taken });
    },
  };
}

async function work(order: ScanOrder): Promise<ScanResult> {
  const types: CompiledCustom[] =
    order.custom === undefined
      ? own
      : readCustomTypes(order.custom, (id) => dataType(id) !== undefined).compiled;
  const scanner = new Scanner({
    types: DATA_TYPES,
    custom: types,
    keep: order.keep,
    hash: valueHash(hashKey),
  });
  if (order.name) scanner.fileName(order.name);
  if (order.nameOnly) return { read: false, left: [], found: scanner.finish() };
  const text: ReadText[] = [];
  const sink = order.show === undefined ? scanner : showing(scanner, order.show, text);
  const { read, left } = await scanFile(sink, chunks(), pictures ? { ocr } : {});
  return { read, left, found: scanner.finish(), ...(order.show !== undefined && { text }) };
}

const functions = {
  begin(order: ScanOrder): void {
    const mine = { waiting: [], ended: false, wake: () => undefined, taken: () => undefined, over: false };
    job = { ...mine, result: undefined as unknown as Promise<ScanResult> };
    const started = job;
    started.result = work(order).finally(() => {
      started.over = true;
      started.taken();
    });
    started.result.catch(() => undefined);
  },
  /** More of the file. Answers when it was taken; false where no more is wanted. */
  async chunk(bytes: Uint8Array): Promise<boolean> {
    const mine = job!;
    if (mine.over) return false;
    mine.waiting.push(bytes);
    mine.wake();
    if (mine.waiting.length) await new Promise<void>((resolve) => (mine.taken = resolve));
    return !mine.over;
  },
  end(): Promise<ScanResult> {
    job!.ended = true;
    job!.wake();
    return job!.result;
  },
};
export type ScanFunctions = typeof functions;
serve(port, functions);

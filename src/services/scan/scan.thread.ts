/** Scans files one at a time, in a thread of its own: whatever a file does to it, the rest goes on. */
import { workerData, type MessagePort } from 'node:worker_threads';
import { compileCustom, type CompiledCustom, type CustomType } from '../../core/recognise/custom.ts';
import { Scanner } from '../../core/recognise/scan.ts';
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
const ready = (json: string): CompiledCustom[] =>
  readCustomTypes(json, (id) => dataType(id) !== undefined).compiled;
const own = ready(custom);
/** Types that were asked for instead, the last time: a list of theirs may be long. */
let instead: { json: string; types: CompiledCustom[] } = { json: custom, types: own };

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

/** A file as it comes in, and what becomes of it. */
class Job {
  waiting: Uint8Array[] = [];
  /** No more will come. */
  ended = false;
  /** No more is wanted. */
  over = false;
  wake = (): void => undefined;
  taken = (): void => undefined;
  result!: Promise<ScanResult>;

  async *chunks(): AsyncGenerator<Uint8Array> {
    for (;;) {
      const chunk = this.waiting.shift();
      if (chunk) {
        this.taken();
        yield chunk;
      } else if (this.ended) return;
      else await new Promise<void>((resolve) => (this.wake = resolve));
    }
  }
}
let job: Job | undefined;

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

async function work(order: ScanOrder, mine: Job): Promise<ScanResult> {
  if (order.custom !== undefined && order.custom !== instead.json)
    instead = { json: order.custom, types: ready(order.custom) };
  const scanner = new Scanner({
    types: DATA_TYPES,
    custom: order.custom === undefined ? own : instead.types,
    keep: order.keep,
    hash: valueHash(hashKey),
  });
  if (order.name) scanner.fileName(order.name);
  if (order.nameOnly) return { read: false, left: [], found: scanner.finish() };
  const text: ReadText[] = [];
  const sink = order.show === undefined ? scanner : showing(scanner, order.show, text);
  const { read, left } = await scanFile(sink, mine.chunks(), pictures ? { ocr } : {});
  return { read, left, found: scanner.finish(), ...(order.show !== undefined && { text }) };
}

const functions = {
  /** Why a custom type cannot be run, in a sentence; undefined where it can. */
  refusal(json: string): string | undefined {
    try {
      compileCustom(JSON.parse(json) as CustomType, (id) => dataType(id) !== undefined);
      return undefined;
    } catch (e) {
      return (e as Error).message;
    }
  },
  begin(order: ScanOrder): void {
    const mine = new Job();
    job = mine;
    mine.result = work(order, mine).finally(() => {
      mine.over = true;
      mine.taken();
    });
    mine.result.catch(() => undefined);
  },
  /** All of a file at once. */
  whole(order: ScanOrder, bytes: Uint8Array | undefined): Promise<ScanResult> {
    functions.begin(order);
    if (bytes) job!.waiting.push(bytes);
    return functions.end();
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

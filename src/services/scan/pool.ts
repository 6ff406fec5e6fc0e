/**
 * Threads that scan files. Each has one file at a time; one that takes too long costs its thread, and
 * the file is said to be not fully scanned.
 */
import { createHash } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import type { Worker } from 'node:worker_threads';
import type { CustomType } from '../../core/recognise/custom.ts';
import { startThread, type Remote } from '../../jobs/rpc.ts';
import type { ContentDoc } from '../../store/observed.ts';
import type { ScanFunctions, ScanOrder, ScanResult } from './scan.thread.ts';

export interface Recogniser {
  custom: CustomType[];
  pictures: boolean;
}

export interface ScanPoolOptions extends Recogniser {
  hashKey: string;
  threads?: number;
  /** Milliseconds without a sign of progress after which a file is given up. */
  timeLimit?: number;
}

/** Read ahead of the thread, so that a slow network holds none. */
const AHEAD = 4 * 2 ** 20;
const TIME_LIMIT = 60_000;

interface Thread {
  remote: Remote<ScanFunctions>;
  worker: Worker;
}

export class ScanPool {
  private readonly free: Thread[] = [];
  private readonly all = new Set<Thread>();
  private readonly queue: ((t: Thread) => void)[] = [];
  private readonly most: number;
  private closed = false;

  constructor(private readonly options: ScanPoolOptions) {
    this.most = options.threads ?? Math.max(1, Math.min(4, availableParallelism()));
  }

  /** Scans one file; `bytes` undefined where its name is all there is. What is wrong with the file is in the answer. */
  async scan(order: ScanOrder, bytes: AsyncIterable<Uint8Array> | undefined): Promise<ScanResult> {
    const pieces = bytes?.[Symbol.asyncIterator]();
    const ahead: Uint8Array[] = [];
    let size = 0;
    let ended = !pieces;
    while (!ended && size < AHEAD) {
      const next = await pieces!.next();
      if (next.done) ended = true;
      else {
        ahead.push(next.value);
        size += next.value.length;
      }
    }
    const thread = await this.take();
    try {
      return await this.within(thread, async (alive) => {
        // a file that is there already is sent whole: an answer from a thread takes longer than a small file
        if (ended) return thread.remote.whole(order, ahead.length ? joined(ahead) : undefined);
        await thread.remote.begin(order);
        let wanted = await thread.remote.chunk(joined(ahead));
        while (wanted && !ended) {
          const next = await pieces!.next();
          ended = next.done === true;
          alive();
          if (!next.done) wanted = await thread.remote.chunk(next.value);
          alive();
        }
        if (!ended) await pieces!.return?.();
        return thread.remote.end();
      });
    } catch (e) {
      if (!(e instanceof TooLong)) {
        // the network failed: what was begun is let go
        await thread.remote.end().catch(() => undefined);
        throw e;
      }
      if (this.closed) throw e;
      return { ...(await this.scan({ ...order, nameOnly: true }, undefined)), left: [e.message] };
    } finally {
      this.give(thread);
    }
  }

  /** Why a custom type cannot be run, in a sentence; undefined where it can. Making it ready may take its time. */
  async refusal(type: CustomType): Promise<string | undefined> {
    const thread = await this.take();
    try {
      return await this.within(thread, () => thread.remote.refusal(JSON.stringify(type)));
    } catch (e) {
      if (!(e instanceof TooLong)) throw e;
      return `It takes too long to be made ready (${e.message}). Use fewer or shorter patterns.`;
    } finally {
      this.give(thread);
    }
  }

  async close(): Promise<void> {
    this.closed = true;
    await Promise.all([...this.all].map((t) => t.worker.terminate()));
  }

  private async take(): Promise<Thread> {
    const free = this.free.pop();
    if (free) return free;
    if (this.all.size < this.most) return this.start();
    return new Promise((resolve) => this.queue.push(resolve));
  }

  private start(): Thread {
    const { hashKey, custom, pictures } = this.options;
    const thread = startThread<ScanFunctions>(
      new URL('./scan.thread.ts', import.meta.url),
      { hashKey, custom: JSON.stringify(custom), pictures },
      [],
      { maxOldGenerationSizeMb: 2048 },
    );
    // a thread that ends tells whoever waits for it; that it ran out of memory is no more than that
    thread.worker.on('error', () => undefined);
    this.all.add(thread);
    return thread;
  }

  private give(thread: Thread): void {
    const next = this.queue.shift();
    const usable = this.all.has(thread) ? thread : undefined;
    if (this.closed) return;
    if (next) next(usable ?? this.start());
    else if (usable) this.free.push(usable);
  }

  /** Runs one file's work in its thread; a thread that does not answer in time, or dies of the file, is ended. */
  private async within<T>(thread: Thread, work: (alive: () => void) => Promise<T>): Promise<T> {
    const limit = this.options.timeLimit ?? TIME_LIMIT;
    let timer: NodeJS.Timeout | undefined;
    let fail: (e: TooLong) => void;
    const gone = new Promise<never>((_, reject) => (fail = reject));
    gone.catch(() => undefined);
    const alive = (): void => {
      clearTimeout(timer);
      timer = setTimeout(
        () => fail(new TooLong(`it took longer than ${Math.round(limit / 1000)} seconds`)),
        limit,
      );
    };
    const onExit = (): void => {
      this.all.delete(thread);
      fail(new TooLong('it needs more memory than there is for one file'));
    };
    thread.worker.once('exit', onExit);
    alive();
    try {
      return await Promise.race([work(alive), gone]);
    } catch (e) {
      if (e instanceof TooLong) {
        this.all.delete(thread);
        void thread.worker.terminate();
      }
      throw e;
    } finally {
      clearTimeout(timer);
      thread.worker.off('exit', onExit);
    }
  }
}

class TooLong extends Error {}

const joined = (pieces: Uint8Array[]): Uint8Array => {
  // of its own memory, so that it is moved and not shared
  const whole = new Uint8Array(pieces.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const p of pieces) {
    whole.set(p, at);
    at += p.length;
  }
  return whole;
};

/** What a scan makes of a file, as it is kept. */
export function contentDoc({ read, left, found }: ScanResult, nameOnly: boolean): ContentDoc {
  if (nameOnly) return { state: 'name-only', found };
  const reason = left.length ? `Not fully scanned: ${left.slice(0, 5).join('; ')}.` : undefined;
  return { state: read ? 'scanned' : 'unreadable', ...(reason && { reason }), found };
}

let code: string | undefined;
/** What a file is scanned with, as one short text: the same text, the same findings. */
export function recogniserVersion({ custom, pictures }: Recogniser): string {
  if (!code) {
    const hash = createHash('sha256');
    for (const dir of ['../../core/recognise/', '../../core/recognise/types/', '../../formats/'])
      for (const name of readdirSync(new URL(dir, import.meta.url)).sort())
        if (name.endsWith('.ts') && !name.endsWith('.test.ts'))
          hash.update(name).update(readFileSync(new URL(dir + name, import.meta.url)));
    code = hash.digest('base64url');
  }
  return createHash('sha256')
    .update(JSON.stringify([code, custom.map(({ cases: _, ...rest }) => rest), pictures]))
    .digest('base64url')
    .slice(0, 16);
}

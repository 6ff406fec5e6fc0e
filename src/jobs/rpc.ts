/**
 * Calls across threads. `serve` answers on a MessagePort with the functions it is given; `connect`
 * gives a typed caller for them. Errors keep their name, message and code. An AbortSignal among the
 * arguments of a call is aborted at the other end too.
 */
import { basename } from 'node:path';
import {
  MessageChannel,
  MessagePort,
  type ResourceLimits,
  type Transferable,
  Worker,
} from 'node:worker_threads';

// eslint-disable-next-line @typescript-eslint/no-explicit-any -- any function may be served
type Functions = Record<string, (...args: any[]) => unknown>;
export type Remote<F extends Functions> = {
  [K in keyof F]: (...args: Parameters<F[K]>) => Promise<Awaited<ReturnType<F[K]>>>;
};

/** `signalAt`: which argument is a signal. */
type Call = { id: number; name: string; args: unknown[]; signalAt: number };
type Cancel = { cancel: number };
type Answer = {
  id: number;
  value?: unknown;
  error?: { name: string; message: string; stack?: string; code?: string };
};

/** A result whose buffers are to be moved rather than copied. */
export class Moved<T> {
  constructor(
    readonly value: T,
    readonly transfer: Transferable[],
  ) {}
}

/** Answers calls that come in on `port`. */
export function serve(port: MessagePort, functions: Functions): void {
  const running = new Map<number, AbortController>();
  port.on('message', (call: Call | Cancel) => {
    if ('cancel' in call) {
      running.get(call.cancel)?.abort();
      return;
    }
    void (async () => {
      if (call.signalAt >= 0) {
        const controller = new AbortController();
        running.set(call.id, controller);
        call.args[call.signalAt] = controller.signal;
      }
      let answer: Answer;
      let transfer: Transferable[] = [];
      try {
        const fn = functions[call.name];
        if (!fn) throw new Error(`There is no function ${call.name} in this thread.`);
        let value = await fn(...call.args);
        if (value instanceof Moved) {
          transfer = value.transfer;
          value = value.value;
        }
        answer = { id: call.id, value };
      } catch (e) {
        const error = e as Error & { code?: string };
        answer = {
          id: call.id,
          error: { name: error.name, message: error.message, stack: error.stack, code: error.code },
        };
      }
      running.delete(call.id);
      port.postMessage(answer, transfer);
    })();
  });
}

/** A caller for the functions served at the other end of `port`. */
export function connect<F extends Functions>(port: MessagePort): Remote<F> & { close(): void } {
  const waiting = new Map<number, { resolve(v: unknown): void; reject(e: Error): void }>();
  let next = 1;
  const end = (reason: string) => {
    for (const w of waiting.values()) w.reject(new Error(reason));
    waiting.clear();
  };
  port.on('message', (answer: Answer) => {
    const w = waiting.get(answer.id);
    waiting.delete(answer.id);
    if (!w) return;
    if (answer.error) w.reject(Object.assign(new Error(answer.error.message), answer.error));
    else w.resolve(answer.value);
  });
  port.on('close', () => end('The thread that was asked has ended.'));
  return new Proxy({} as Remote<F> & { close(): void }, {
    get: (_, name) => {
      if (name === 'then') return undefined;
      if (name === 'close') return () => port.close();
      return (...args: unknown[]) =>
        new Promise((resolve, reject) => {
          const id = next++;
          waiting.set(id, { resolve, reject });
          const transfer = args.filter((a) => a instanceof MessagePort) as Transferable[];
          const signalAt = args.findIndex((a) => a instanceof AbortSignal);
          const signal = args[signalAt] as AbortSignal | undefined;
          const sent = args.map((a) => (a === signal ? undefined : a));
          const call: Call = { id, name: String(name), args: sent, signalAt };
          port.postMessage(call, transfer);
          const cancel = (): void => port.postMessage({ cancel: id } satisfies Cancel);
          if (signal?.aborted) cancel();
          else signal?.addEventListener('abort', cancel, { once: true });
        });
    },
  });
}

/** Set where the programs are bundled (scripts/programs.mjs). */
declare const BUILT: boolean | undefined;

/** A thread's file: its source, or in a bundled program the bundle of the same name. */
const programOf = (source: URL): URL =>
  typeof BUILT === 'undefined'
    ? source
    : new URL(`../../dist/app/${basename(source.pathname, '.ts')}.mjs`, import.meta.url);

/** A thread running a file of ours, given a port of its own as `workerData.port`. */
export function startThread<F extends Functions>(
  file: URL,
  data: Record<string, unknown> = {},
  transfer: Transferable[] = [],
  resourceLimits?: ResourceLimits,
): { remote: Remote<F>; worker: Worker } {
  const { port1, port2 } = new MessageChannel();
  const worker = new Worker(new URL('./thread.mjs', import.meta.url), {
    workerData: { ...data, file: programOf(file).href, port: port2 },
    transferList: [port2, ...transfer],
    execArgv: [],
    ...(resourceLimits && { resourceLimits }),
  });
  const remote = connect<F>(port1);
  worker.on('exit', () => port1.close());
  return { remote, worker };
}

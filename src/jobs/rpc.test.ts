import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { MessageChannel } from 'node:worker_threads';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { connect, serve, startThread } from './rpc.ts';

const home = mkdtempSync(join(tmpdir(), 'gl-rpc-'));
const file = join(home, 'answers.thread.mts');
const RPC = fileURLToPath(new URL('rpc.ts', import.meta.url));

interface Answers extends Record<string, (...args: never[]) => unknown> {
  add(a: number, b: number): number;
  later(ms: number, what: string): Promise<string>;
  fail(message: string, code: string): never;
  bytes(count: number): Uint8Array<ArrayBuffer>;
}

beforeAll(() =>
  writeFileSync(
    file,
    `import { workerData } from 'node:worker_threads';
import { Moved, serve } from ${JSON.stringify(pathToFileURL(RPC).href)};
const kept: Uint8Array[] = [];
serve(workerData.port, {
  add: (a: number, b: number) => a + b,
  later: async (ms: number, what: string) => { await new Promise((r) => setTimeout(r, ms)); return what; },
  fail: (message: string, code: string) => { throw Object.assign(new RangeError(message), { code }); },
  bytes: (count: number) => { const b = new Uint8Array(count).fill(7); kept.push(b); return new Moved(b, [b.buffer]); },
  left: () => kept.map((b) => b.byteLength),
});
`,
  ),
);
afterAll(() => rmSync(home, { recursive: true, force: true }));

describe('calls across threads', () => {
  it('give each asker its own answer, in whatever order they come', async () => {
    const { remote, worker } = startThread<Answers>(pathToFileURL(file));
    const asked = [30, 1, 20, 5].map((ms) => remote.later(ms, `after ${ms}`));
    expect(await remote.add(2, 3)).toBe(5);
    expect(await Promise.all(asked)).toEqual(['after 30', 'after 1', 'after 20', 'after 5']);
    await worker.terminate();
  });

  it('keep name, message and code of what was thrown there, and go on', async () => {
    const { remote, worker } = startThread<Answers>(pathToFileURL(file));
    await expect(remote.fail('too wide', 'E_WIDE')).rejects.toMatchObject({
      name: 'RangeError',
      message: 'too wide',
      code: 'E_WIDE',
    });
    await expect((remote as unknown as { none(): Promise<void> }).none()).rejects.toThrow('no function none');
    expect(await remote.add(1, 1)).toBe(2);
    await worker.terminate();
  });

  it('move what is said to be moved: the thread has it no more', async () => {
    const { remote, worker } = startThread<Answers & { left(): number[] }>(pathToFileURL(file));
    const bytes = await remote.bytes(1_000_000);
    expect([bytes.length, bytes[999_999]]).toEqual([1_000_000, 7]);
    expect(await remote.left()).toEqual([0]);
    await worker.terminate();
  });

  it('fail, every one of them, where the thread ends before it answers', async () => {
    const { remote, worker } = startThread<Answers>(pathToFileURL(file));
    expect(await remote.add(0, 0)).toBe(0);
    const asked = [remote.later(60_000, 'never'), remote.later(60_000, 'never')];
    const told = Promise.allSettled(asked);
    await worker.terminate();
    for (const t of await told)
      expect(t).toMatchObject({
        status: 'rejected',
        reason: { message: 'The thread that was asked has ended.' },
      });
  });

  it('are left where whoever asks has gone, and no other with them', async () => {
    const { port1, port2 } = new MessageChannel();
    const begun: AbortSignal[] = [];
    serve(port2, {
      wait: async (what: string, signal?: AbortSignal) => {
        begun.push(signal!);
        await new Promise<void>((r) => signal!.addEventListener('abort', () => r()));
        signal!.throwIfAborted();
        return what;
      },
      echo: (signal: AbortSignal | undefined, what: string) => [signal?.aborted, what],
    });
    const remote = connect<{
      wait(what: string, signal?: AbortSignal): Promise<string>;
      echo(signal: AbortSignal | undefined, what: string): [boolean | undefined, string];
    }>(port1);
    const [one, other] = [new AbortController(), new AbortController()];
    const asked = [remote.wait('one', one.signal), remote.wait('other', other.signal)];
    one.abort();
    await expect(asked[0]).rejects.toMatchObject({ name: 'AbortError' });
    expect(begun.map((s) => s.aborted)).toEqual([true, false]);
    // whoever had gone before asking is told so at once, and a question without a signal is what it was
    expect(await remote.echo(undefined, 'x')).toEqual([undefined, 'x']);
    await expect(remote.wait('late', AbortSignal.abort())).rejects.toMatchObject({ name: 'AbortError' });
    other.abort();
    await expect(asked[1]).rejects.toMatchObject({ name: 'AbortError' });
    remote.close();
  });

  it('do not take a caller for a promise, and close', async () => {
    const { port1, port2 } = new MessageChannel();
    let served = 0;
    serve(port2, { ask: () => ++served });
    const remote = connect<{ ask(): number }>(port1);
    // awaited by itself it is what it is
    expect(await (await Promise.resolve(remote)).ask()).toBe(1);
    remote.close();
    await new Promise((r) => port2.once('close', r));
    expect(served).toBe(1);
  });
});

/** The engine's thread, as the rest of the application sees it: asked, never waited for in the request. */
import type { Worker } from 'node:worker_threads';
import { totalmem } from 'node:os';
import { startThread, type Remote } from '../jobs/rpc.ts';
import type { OpenDb } from '../store/db.ts';
import type { EngineFunctions } from './engine.thread.ts';

export class Engine {
  private constructor(
    readonly ask: Remote<EngineFunctions>,
    readonly worker: Worker,
  ) {}

  /** `snapshots`: the directory in which the rows of the last survey are kept for the next start. */
  static start(snapshots: string): Engine {
    const { remote, worker } = startThread<EngineFunctions>(
      new URL('./engine.thread.ts', import.meta.url),
      { snapshots },
      [],
      // a million items take some gigabytes while they are read; the usual limit is less
      { maxOldGenerationSizeMb: Math.floor((totalmem() / 2 ** 20) * 0.6) },
    );
    return new Engine(remote, worker);
  }

  /** Gives it the store. Nothing can be asked before. */
  async connect(db: OpenDb): Promise<void> {
    await this.ask.connect(await db.port());
  }

  async close(): Promise<void> {
    await this.worker.terminate();
  }
}

/** What happens, as it happens, for whoever is looking: pages listen through server-sent events. */
import type { JobNews } from '../dto/jobs.ts';

export type AppEvent =
  | ({ type: 'job' } & JobNews)
  | { type: 'plan'; plan: number }
  | { type: 'policies' }
  /** Another survey is in force, or the same judged anew: every answer that rested on it is out of date. */
  | { type: 'present'; survey: number };

/** So many streams one session may hold open: a few tabs. */
const MOST_STREAMS = 12;

export class Events {
  private readonly streams = new Map<string, Set<() => void>>();

  private readonly listeners = new Set<(e: AppEvent) => void>();

  emit(event: AppEvent): void {
    for (const listener of this.listeners) listener(event);
  }

  /** Listens until the returned function is called. */
  listen(listener: (e: AppEvent) => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  /** Keeps a session's stream, to be ended with the session; undefined where it holds too many open already. */
  attach(token: string, end: () => void): (() => void) | undefined {
    const streams = this.streams.get(token) ?? new Set();
    if (streams.size >= MOST_STREAMS) return undefined;
    this.streams.set(token, streams.add(end));
    return () => {
      streams.delete(end);
      if (!streams.size) this.streams.delete(token);
    };
  }

  /** Ends every stream: the application stops. */
  endAll(): void {
    for (const token of [...this.streams.keys()]) this.endOf(token);
  }

  /** Ends the streams of a session that has ended. */
  endOf(token: string): void {
    for (const end of [...(this.streams.get(token) ?? [])]) end();
  }
}

/** What happens, as it happens, for whoever is looking: pages listen through server-sent events. */
import type { JobNews } from '../dto/jobs.ts';

export type AppEvent =
  | ({ type: 'job' } & JobNews)
  | { type: 'plan'; plan: number }
  /** Another survey is in force, or the same judged anew: every answer that rested on it is out of date. */
  | { type: 'present'; survey: number };

export class Events {
  private readonly listeners = new Set<(e: AppEvent) => void>();

  emit(event: AppEvent): void {
    for (const listener of this.listeners) listener(event);
  }

  /** Listens until the returned function is called. */
  listen(listener: (e: AppEvent) => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }
}

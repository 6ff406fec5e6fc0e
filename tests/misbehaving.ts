/** A workspace that loses answers, refuses, and in which others change things meanwhile; what it did is counted. */
import { ConnectorError, type Changeable, type ObjectRef, type Seen } from '../src/connectors/port.ts';

/** The application ends here. */
export class Crash extends Error {}

export const FAULTS = ['fine', 'down', 'lost', 'refused', 'crash', 'crash after'] as const;
/** What goes wrong with one call; what somebody else does to its object just before it. */
export interface Call {
  fault: (typeof FAULTS)[number];
  meddle?: ((row: object | null) => object | null) | undefined;
}

export class MisbehavingWorkspace implements Changeable {
  private version = 1;
  /** How often something was really done under a key. */
  readonly done = new Map<string, number>();

  /** `next`: what comes of each call. */
  constructor(
    readonly rows: Map<string, object>,
    private readonly next: () => Call,
  ) {}

  private async call<T>(id: string, work: () => T): Promise<T> {
    const { fault, meddle } = this.next();
    if (meddle) {
      this.version++;
      this.put(id, meddle(this.rows.get(id) ?? null));
    }
    if (fault === 'crash') throw new Crash();
    if (fault === 'down') throw new ConnectorError('gave-up', 'It answered 503.');
    if (fault === 'refused') throw new ConnectorError('refused', 'It refused.');
    const result = work();
    if (fault === 'crash after') throw new Crash();
    if (fault === 'lost') throw new ConnectorError('gave-up', 'No answer came.', true);
    return Promise.resolve(result);
  }

  private put(id: string, row: object | null): void {
    if (row) this.rows.set(id, row);
    else this.rows.delete(id);
  }

  /** Nothing is done twice under one key. */
  private once<T>(key: string, work: () => T): T | 'done' {
    if (this.done.has(key)) return 'done';
    const result = work();
    if (result === 'done') {
      this.done.set(key, (this.done.get(key) ?? 0) + 1);
      this.version++;
    }
    return result;
  }

  read({ id }: ObjectRef): Promise<Seen | null> {
    return this.call(id, () => {
      const row = this.rows.get(id);
      return row ? { row, version: String(this.version) } : null;
    });
  }

  private change(id: string, next: (row: object) => object | null, key: string, version?: string) {
    return this.call(id, () =>
      this.once(key, () => {
        const row = this.rows.get(id);
        if (!row) return 'absent';
        if (version !== undefined && version !== String(this.version)) return 'moved';
        this.put(id, next(row));
        return 'done';
      }),
    );
  }
  withdraw({ id }: ObjectRef, key: string, version?: string): Promise<'done' | 'absent' | 'moved'> {
    return this.change(id, () => null, key, version);
  }
  set(
    { id }: ObjectRef,
    fields: object,
    key: string,
    version?: string,
  ): Promise<'done' | 'absent' | 'moved'> {
    return this.change(id, (row) => ({ ...row, ...fields }), key, version);
  }
  restore({ id }: ObjectRef, before: object, key: string): Promise<'done' | 'present'> {
    return this.call(id, () =>
      this.once(key, () => {
        if (this.rows.has(id)) return 'present';
        this.rows.set(id, { ...before });
        return 'done';
      }),
    );
  }
}

/** Misbehaviour on demand: rules that match requests and spoil their answers. */
export interface FaultRule {
  /** Method and path must contain these, where given. */
  method?: string;
  path?: string;
  kind: 'latency' | 'throttle' | 'error' | 'time-out' | 'reset' | 'reset-after' | 'repeat-page' | 'dead';
  /** Milliseconds for latency; Retry-After in seconds for throttle. */
  amount?: number;
  /** How often it strikes at most; unlimited where absent. */
  times?: number;
  /** It strikes every n-th matching request; each where absent. */
  every?: number;
}

interface Armed extends FaultRule {
  struck: number;
  met: number;
}

export class Faults {
  private rules: Armed[] = [];

  set(rules: FaultRule[]): void {
    this.rules = rules.map((r) => ({ ...r, struck: 0, met: 0 }));
  }

  list(): Armed[] {
    return this.rules;
  }

  /** The faults that strike this request; striking is counted. */
  strike(method: string, path: string): FaultRule[] {
    return this.rules.filter((r) => {
      if ((r.method && r.method !== method) || (r.path && !path.includes(r.path))) return false;
      if (r.times !== undefined && r.struck >= r.times) return false;
      r.met++;
      if (r.every !== undefined && r.met % r.every !== 0) return false;
      r.struck++;
      return true;
    });
  }
}

/** One person for the accounts that several sources have of them. */
import type { PersonRow } from '../core/model.ts';
import { key } from './keys.ts';

/**
 * Who the accounts of all sources are: an account is the person of the directory, or of a source
 * before it, with one of its addresses; else a person of its own. The same person is one identity.
 */
export class Identities {
  private readonly byAddress = new Map<string, string>();
  /** Who each account is, by source and id. */
  private readonly alias = new Map<string, Map<string, string>>();
  /** What each source calls a user, the one who is their home first. */
  readonly accounts = new Map<string, { source: string; id: string }[]>();
  readonly people: PersonRow[] = [];
  /** Accounts as their sources give them. */
  private readonly rows = new Map<string, { source: string; row: PersonRow }>();

  constructor(private readonly directories: ReadonlySet<string>) {}

  /** Takes an account in; those of directories come first. */
  add(source: string, row: PersonRow): void {
    this.rows.set(key(source, row.id), { source, row });
    const whole = this.directories.has(source);
    const own = whole ? row.id : key(source, row.id);
    const known = whole
      ? undefined
      : row.addresses.map((a) => this.byAddress.get(a)).find((id) => id !== undefined);
    const aliases = this.alias.get(source) ?? new Map<string, string>();
    this.alias.set(source, aliases.set(row.id, known ?? own));
    const mine = this.accounts.get(known ?? own) ?? [];
    this.accounts.set(known ?? own, [...mine, { source, id: row.id }]);
    if (known) return;
    this.people.push({ ...row, id: own });
    for (const a of row.addresses) if (!this.byAddress.has(a)) this.byAddress.set(a, own);
  }

  user(source: string, id: string): string {
    return this.alias.get(source)?.get(id) ?? id;
  }

  /** Every account, in the order in which they were added. */
  all(): [source: string, row: PersonRow][] {
    return [...this.rows.values()].map(({ source, row }) => [source, row]);
  }

  /** An account as its source gives it; undefined where it is not known. */
  rowOf(source: string, id: string): PersonRow | undefined {
    return this.rows.get(key(source, id))?.row;
  }

  /**
   * Adds an account, or puts another row of the same addresses in the place of a known one. The person as they
   * are then; undefined where their row is of another account.
   */
  put(source: string, row: PersonRow): PersonRow | undefined {
    if (!this.rows.has(key(source, row.id))) {
      const before = this.people.length;
      this.add(source, row);
      return this.people[before];
    }
    this.rows.set(key(source, row.id), { source, row });
    const id = this.user(source, row.id);
    const home = this.accounts.get(id)![0]!;
    return home.source === source && home.id === row.id ? { ...row, id } : undefined;
  }

  /**
   * Whether an account can be added after the others without any of them becoming somebody else: it is a new
   * person, or one whom a directory has.
   */
  canJoin(source: string, row: PersonRow): boolean {
    const others = row.addresses.flatMap((a) => this.byAddress.get(a) ?? []);
    if (!others.length) return true;
    const homes = others.map((id) => this.accounts.get(id)![0]!.source);
    return !this.directories.has(source) && homes.every((h) => this.directories.has(h));
  }
}

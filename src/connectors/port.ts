/** The port to a workspace and to a directory: what every kind of connector offers. */
import type { OrganisationRow, WorkspaceRow } from '../core/model.ts';
import type { ObjectKind } from '../core/remedy/fields.ts';
import type { FeedKind, RowOf, WorkspaceKind } from '../core/row-kinds.ts';

type DirectoryKind = 'person' | 'group';

export interface Page<Row> {
  rows: Row[];
  /** People: their SCIM resources as they came, in the order of `rows`; rules of groups are asked of them. */
  raw?: unknown[];
  /** Rows that do not fit their schema. */
  rejected: { id: string; reason: string }[];
  /** How many there are in all, where the workspace says so. */
  total?: number;
}

export interface About {
  organisation: OrganisationRow;
  workspace: WorkspaceRow;
  /** Names this moment; `changesSince` tells what came after it. */
  changeToken: string;
}

/** Who last did what with an item, from activity. Times in milliseconds since 1970. */
export interface ActivityRow {
  item: string;
  /** A user's id or an address. */
  actor: string;
  opened: number | null;
  edited: number | null;
}

export type Changed = { [K in FeedKind]: { kind: K; id: string; row: RowOf[K] | null } }[FeedKind];

/** Something that can be changed, and put back. */
export interface ObjectRef {
  kind: ObjectKind;
  id: string;
}
/** An object as it is now; `version` names this state of it, where the source says. */
export interface Seen {
  row: object;
  version: string | undefined;
}

/**
 * Changes, one object at a time. The same key is never applied twice. Where a `version` is given the
 * change is made only if the object is still of it, and comes back as `moved` otherwise; `absent`: it
 * was not there.
 */
export interface Changeable {
  /** Null where it is not there. */
  read(ref: ObjectRef): Promise<Seen | null>;
  /** Takes a grant, link or membership away. */
  withdraw(ref: ObjectRef, key: string, version?: string): Promise<'done' | 'absent' | 'moved'>;
  /** Puts back what `withdraw` took away, as it was; `present`: something of that id was there already. */
  restore(ref: ObjectRef, before: object, key: string): Promise<'done' | 'present'>;
  /** Sets fields; null takes a field away. */
  set(ref: ObjectRef, fields: object, key: string, version?: string): Promise<'done' | 'absent' | 'moved'>;
}

export interface WorkspaceConnector extends Changeable {
  about(): Promise<About>;
  /** All rows of a kind, page by page, no id twice; of `person`, the workspace's own accounts. */
  list<K extends WorkspaceKind>(kind: K): AsyncGenerator<Page<RowOf[K]>>;
  /**
   * What changed since a token, in parts, each with the token that comes after it. Throws
   * `token-expired` where the workspace does not know the token any more: then read everything.
   */
  changesSince(token: string): AsyncGenerator<{
    changes: Changed[];
    rejected: Page<never>['rejected'];
    changeToken: string;
  }>;
  /** Who did what since a position, in parts, each with the position that comes after it. */
  activity(since: string): AsyncGenerator<{ rows: ActivityRow[]; next: string }>;
  /** What happened since a position (empty: from now on), in parts, each with the position that comes after it; as it came. */
  happened(since: string): AsyncGenerator<{ events: unknown[]; next: string }>;
  /** Puts a message into a channel, once for each key; undefined where the workspace has none. */
  post?(channel: string, text: string, key: string): Promise<void>;
  /** A file's bytes as they come; undefined where the item has none. */
  content(item: string): Promise<AsyncIterable<Uint8Array> | undefined>;
}

export interface DirectoryConnector extends Changeable {
  list<K extends DirectoryKind>(kind: K): AsyncGenerator<Page<RowOf[K]>>;
}

/** Why a request came to nothing. `gave-up`: tried as often as is allowed. */
export type ConnectorFault =
  'gave-up' | 'refused' | 'not-allowed' | 'not-understood' | 'cancelled' | 'token-expired';

export class ConnectorError extends Error {
  override name = 'ConnectorError';
  constructor(
    readonly code: ConnectorFault,
    message: string,
    /** Whether the request may have taken effect although no answer came. */
    readonly mayHaveHappened = false,
  ) {
    super(message);
  }
}

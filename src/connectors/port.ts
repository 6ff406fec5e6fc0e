/** The port to a workspace and to a directory: what every kind of connector offers. */
import type {
  GrantRow,
  GroupRow,
  ItemRow,
  LinkRow,
  OrganisationRow,
  PersonRow,
  SpaceRow,
  WorkspaceRow,
} from '../core/model.ts';

export interface RowOf {
  person: PersonRow;
  group: GroupRow;
  space: SpaceRow;
  item: ItemRow;
  grant: GrantRow;
  link: LinkRow;
}
/** `person`: the workspace's own accounts, where it has such. */
export type WorkspaceKind = 'person' | 'space' | 'item' | 'grant' | 'link';
export type DirectoryKind = 'person' | 'group';

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

export type Changed = { [K in WorkspaceKind]: { kind: K; id: string; row: RowOf[K] | null } }[WorkspaceKind];

/** A change that can be made to a workspace, and undone. */
export interface ObjectRef {
  kind: 'grant' | 'link';
  id: string;
}

export interface WorkspaceConnector {
  about(): Promise<About>;
  /** All rows of a kind, page by page, no id twice. */
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
  /** A file's bytes as they come; undefined where the item has none. */
  content(item: string): Promise<AsyncIterable<Uint8Array> | undefined>;
  /** An object as it is now; null where it is not there. */
  read(ref: ObjectRef): Promise<GrantRow | LinkRow | null>;
  /** Takes a grant or link away. The same key is never applied twice; `absent`: it was not there. */
  withdraw(ref: ObjectRef, key: string): Promise<'done' | 'absent'>;
  /** Puts back what `withdraw` took away; `present`: something of that id was there already. */
  restore(ref: ObjectRef, key: string): Promise<'done' | 'present'>;
}

export interface DirectoryConnector {
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

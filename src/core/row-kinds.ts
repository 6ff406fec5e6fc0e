/** The kinds of rows that surveys read; each is declared here, and its schema in src/formats/rows.ts (docs/adding.md). */
import type {
  AppGrantRow,
  AppRow,
  GrantRow,
  GroupRow,
  ItemRow,
  LinkRow,
  PersonRow,
  SpaceRow,
} from './model.ts';

/** The row of each kind. */
export interface RowOf {
  person: PersonRow;
  group: GroupRow;
  space: SpaceRow;
  item: ItemRow;
  grant: GrantRow;
  link: LinkRow;
  app: AppRow;
  appGrant: AppGrantRow;
}
export type RowKind = keyof RowOf;

interface Declared {
  /** What one and many of them are called. */
  words: readonly [one: string, many: string];
  /** Its file in an extract, without the ending. */
  file: string;
  /**
   * What a workspace that writes rows as an extract does calls the list of them. `whole`: workspaces do not tell what
   * changed of it, so every survey reads the whole list. Absent where only directories have them.
   */
  collection?: { name: string; whole?: true };
}

/** In the order in which they are read and put together: what is named comes before what names it. */
export const ROW_KINDS = {
  person: { words: ['person', 'people'], file: 'users', collection: { name: 'accounts', whole: true } },
  group: { words: ['group', 'groups'], file: 'groups' },
  space: { words: ['space', 'spaces'], file: 'spaces', collection: { name: 'spaces' } },
  item: { words: ['item', 'items'], file: 'items', collection: { name: 'items' } },
  grant: { words: ['grant', 'grants'], file: 'grants', collection: { name: 'grants' } },
  link: { words: ['link', 'links'], file: 'links', collection: { name: 'links' } },
  app: { words: ['app', 'apps'], file: 'apps', collection: { name: 'apps' } },
  appGrant: { words: ['app grant', 'app grants'], file: 'app-grants', collection: { name: 'app-grants' } },
} as const satisfies Record<RowKind, Declared>;

/** The kinds, in their order. */
export const KINDS = Object.keys(ROW_KINDS) as RowKind[];

/** Kinds that workspaces list. */
export type WorkspaceKind = {
  [K in RowKind]: (typeof ROW_KINDS)[K] extends { collection: object } ? K : never;
}[RowKind];
/** Kinds of which workspaces tell what changed. */
export type FeedKind = {
  [K in WorkspaceKind]: (typeof ROW_KINDS)[K]['collection'] extends { whole: true } ? never : K;
}[WorkspaceKind];

const declared: Record<RowKind, Declared> = ROW_KINDS;
export const WORKSPACE_KINDS = KINDS.filter((k) => declared[k].collection) as WorkspaceKind[];
export const FEED_KINDS = WORKSPACE_KINDS.filter((k) => !declared[k].collection!.whole) as FeedKind[];

/** The kind whose rows a file of an extract holds. */
export const kindOfFile = (file: string): RowKind | undefined =>
  KINDS.find((k) => ROW_KINDS[k].file === file);

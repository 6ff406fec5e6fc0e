/** The demo's world as rows, and what its makers build it with. */
import type {
  AppGrantRow,
  AppRow,
  Grantee,
  GrantRow,
  ItemRow,
  LinkRow,
  NodeRef,
  Role,
  SpaceRow,
  Tier,
} from '../src/core/model.ts';
import { SCIM_IDENTITY } from '../src/formats/rows.ts';
import type { Dice } from './make.ts';

export const DEPARTMENTS = [
  'Crew',
  'Port Operations',
  'Technical',
  'Finance',
  'People',
  'Sales',
  'Safety',
  'IT',
  'Catering',
  'Management',
] as const;
type Department = (typeof DEPARTMENTS)[number];

export interface Flaw {
  name: string;
  /** The items that must become findings through this flaw. */
  items: string[];
  expected: { dataType: string; weight: number; now: Tier; could: Tier };
}

export interface ScimUser {
  id: string;
  [field: string]: unknown;
}
export interface World {
  manifest: unknown;
  users: ScimUser[];
  groups: {
    id: string;
    schemas: string[];
    displayName: string;
    members: { value: string; type: 'User' | 'Group' }[];
  }[];
  spaces: SpaceRow[];
  items: ItemRow[];
  grants: GrantRow[];
  links: LinkRow[];
  apps: AppRow[];
  'app-grants': AppGrantRow[];
  content: { item: string; part: 'body'; text: string }[];
  /** CloudEvents 1.0: who opened and edited what. */
  activity: Record<string, unknown>[];
  /** Accounts that a workspace has and the directory has not. */
  accounts: { workspace: string; id: string; address: string; name: string; external: boolean }[];
  flaws: Flaw[];
  /** What happens after the first survey: rows put, or taken away where they are null. */
  later: { kind: 'grants' | 'links' | 'groups' | 'items' | 'spaces'; id: string; row: object | null }[];
}

/** The ids of those who work there and have an active account. */
export const membersOf = ({ users }: Pick<World, 'users'>): Set<string> =>
  new Set(
    users
      .filter(
        (u) => u.active !== false && (u[SCIM_IDENTITY] as { kind?: string } | undefined)?.kind !== 'guest',
      )
      .map((u) => u.id),
  );

/** What the planting of flaws may use. */
export interface Builder {
  d: Dice;
  person(department: Department, n: number): string;
  guest(address: string): string;
  drive(name: string): string;
  /** Adds a space of any workspace. */
  space(row: Omit<SpaceRow, 'id'>, prefix: string): string;
  fill(space: string, folders: number, files: number, textShare: number): void;
  account(workspace: string, address: string, name: string): string;
  personalDrive(user: string): string;
  folder(space: string, name: string, parent?: string): string;
  file(space: string, name: string, text: string | undefined, more?: Partial<ItemRow>): string;
  grant(on: NodeRef, to: Grantee, role: Role, at: string, by: string, more?: Partial<GrantRow>): string;
  link(row: Omit<LinkRow, 'id'>): string;
  group(id: string, name: string, members: string[]): string;
  addToGroup(group: string, member: string): void;
}

/** Accounts as SCIM 2.0 Users (RFC 7643, RFC 7644): what a directory sends of one, and what it is answered. */
import { z } from 'zod';
import { ROLES_BY_RANK, type AccountRole } from '../core/roles.ts';

export const USER = 'urn:ietf:params:scim:schemas:core:2.0:User';
export const LIST = 'urn:ietf:params:scim:api:messages:2.0:ListResponse';
export const ERROR = 'urn:ietf:params:scim:api:messages:2.0:Error';

/** What is kept of a User; what is absent was not said. */
export interface Said {
  userName?: string;
  name?: string;
  active?: boolean;
  externalId?: string | null;
  role?: AccountRole;
}

/** A value that cannot be taken; `type` is the scimType of RFC 7644 §3.12. */
export class ScimError extends Error {
  override name = 'ScimError';
  constructor(
    readonly status: number,
    readonly type: string | undefined,
    message: string,
  ) {
    super(message);
  }
}
const bad = (type: string, message: string): ScimError => new ScimError(400, type, message);

const short = z.string().max(320);
// some directories send “True” and “False” as texts
const truth = z.union([z.boolean(), z.stringbool()]);
const roleValue = z.union([z.string(), z.looseObject({ value: z.string() })]);

/** A User as it is sent, whole: attributes that we do not keep are let go (RFC 7643 §3.1). */
export const userSchema = z.looseObject({
  userName: short.min(1),
  externalId: short.nullish(),
  displayName: z.string().max(200).nullish(),
  name: z.looseObject({ formatted: z.string().max(200).nullish() }).nullish(),
  active: truth.nullish(),
  roles: z.array(roleValue).max(50).nullish(),
});
export const patchSchema = z.looseObject({
  Operations: z
    .array(
      z.looseObject({ op: z.string().max(20), path: z.string().max(400).optional(), value: z.unknown() }),
    )
    .min(1)
    .max(100),
});

/** The role that a list of role values comes to; undefined where none is one of ours. */
function roleIn(values: z.infer<typeof roleValue>[]): AccountRole | undefined {
  const said = values.map((v) => (typeof v === 'string' ? v : v.value).toLowerCase());
  return ROLES_BY_RANK.findLast((role) => said.includes(role));
}

/** What a whole User says. */
export function saidBy(user: z.infer<typeof userSchema>): Said {
  const name = user.displayName ?? user.name?.formatted;
  const role = roleIn(user.roles ?? []);
  return {
    userName: user.userName,
    ...(name && { name }),
    ...(user.active != null && { active: user.active }),
    externalId: user.externalId ?? null,
    ...(role && { role }),
  };
}

/** What the operations of a PATCH say (RFC 7644 §3.5.2). An attribute that we do not keep is let go. */
export function saidByPatch({ Operations }: z.infer<typeof patchSchema>): Said {
  const said: Said = {};
  for (const { op, path, value } of Operations) {
    const act = op.toLowerCase();
    if (!['add', 'replace', 'remove'].includes(act))
      throw bad('invalidSyntax', `There is no operation “${op}”.`);
    if (path === undefined) {
      if (act === 'remove') throw bad('noTarget', 'What is to be removed needs a path.');
      if (!(value instanceof Object)) throw bad('invalidValue', 'Without a path the value is an object.');
      for (const [name, of] of Object.entries(value)) take(said, name, of);
    } else take(said, path, act === 'remove' ? null : value);
  }
  return said;
}

function take(said: Said, path: string, value: unknown): void {
  const read = <T>(schema: z.ZodType<T>): T => {
    const parsed = schema.safeParse(value);
    if (!parsed.success) throw bad('invalidValue', `${path}: ${parsed.error.issues[0]!.message}`);
    return parsed.data;
  };
  // a path may carry the schema before its name
  switch (path.replace(`${USER}:`, '').toLowerCase()) {
    case 'active':
      said.active = read(truth);
      break;
    case 'username':
      said.userName = read(short.min(1));
      break;
    case 'displayname':
    case 'name.formatted':
      said.name = read(z.string().min(1).max(200));
      break;
    case 'externalid':
      said.externalId = read(short.nullable());
      break;
    case 'roles': {
      const role = roleIn(
        read(z.union([z.array(roleValue), roleValue.transform((v) => [v])]).nullable()) ?? [],
      );
      if (role) said.role = role;
      break;
    }
  }
}

/** A filter as directories send it to find one account: an attribute, `eq`, and a text (RFC 7644 §3.4.2.2). */
export function equalFilter(filter: string): { attribute: 'userName' | 'externalId' | 'id'; value: string } {
  const m =
    /^\s*(userName|externalId|id|emails(?:\[[^\]]{0,60}\])?\.value)\s+eq\s+("(?:[^"\\]|\\.)*")\s*$/i.exec(
      filter,
    );
  let value: unknown;
  try {
    value = m && JSON.parse(m[2]!);
  } catch {
    // no text
  }
  if (typeof value !== 'string')
    throw bad(
      'invalidFilter',
      'A filter is userName, externalId or id, then eq, then a text in quotation marks.',
    );
  const name = m![1]!.toLowerCase();
  return { attribute: name === 'externalid' ? 'externalId' : name === 'id' ? 'id' : 'userName', value };
}

export interface ScimAccount {
  id: number;
  name: string;
  address: string;
  role: AccountRole;
  active: boolean;
  external_id: string | null;
  created_at: Date;
}

/** An account as a User. `base`: the address of /scim/v2. */
export const userOf = (a: ScimAccount, base: string) => ({
  schemas: [USER],
  id: String(a.id),
  ...(a.external_id !== null && { externalId: a.external_id }),
  userName: a.address,
  displayName: a.name,
  name: { formatted: a.name },
  emails: [{ value: a.address, primary: true }],
  active: a.active,
  roles: [{ value: a.role }],
  meta: {
    resourceType: 'User',
    created: a.created_at.toISOString(),
    location: `${base}/Users/${a.id}`,
  },
});

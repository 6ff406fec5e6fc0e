/** Changes as they are picked up and planned: each to one object, by its source's own ids. */
import { z } from 'zod';
import { AUDIENCES, EXTERNAL_SHARING, ROLES } from '../../core/model.ts';
import type { KeepOut } from '../../core/remedy/goal.ts';
import type { PlannedChange } from '../../core/remedy/plan.ts';

/** PostgreSQL’s text cannot hold U+0000. */
const holdable = (t: string): boolean => !t.includes('\0');
const id = z.string().min(1).max(1100).refine(holdable, 'must not hold U+0000');
const source = z.string().min(1).max(200).refine(holdable, 'must not hold U+0000');
const day = z.iso.datetime({ offset: true });
const some = (o: object): boolean => Object.keys(o).length > 0;
const NOTHING = 'sets nothing';

const recipient = z.union([
  z.strictObject({ user: id }),
  z.strictObject({ group: id }),
  z.strictObject({ email: id }),
]);
const fields = {
  grant: z.strictObject({ role: z.enum(ROLES), expiresAt: day.nullable() }).partial(),
  link: z
    .strictObject({
      role: z.enum(ROLES),
      audience: z.enum(AUDIENCES),
      expiresAt: day.nullable(),
      noCopies: z.boolean().nullable(),
      recipients: recipient.array().max(1000),
    })
    .partial(),
  space: z
    .strictObject({
      visibility: z.enum(['members', 'organisation']).nullable(),
      visibilityRole: z.enum(ROLES).nullable(),
      externalSharing: z.enum(EXTERNAL_SHARING).nullable(),
      editorsShare: z.boolean().nullable(),
      gate: id.array().max(50).nullable(),
      defaultAudience: z.enum(AUDIENCES).nullable(),
      dim: z.boolean().nullable(),
      owners: id.array().max(50).nullable(),
    })
    .partial(),
  item: z
    .strictObject({
      inherits: z.boolean().nullable(),
      owner: id.nullable(),
      held: z.boolean().nullable(),
      dim: z.boolean().nullable(),
    })
    .partial(),
  person: z.strictObject({ active: z.boolean(), expiresAt: day.nullable() }).partial(),
};

/** One planned change. Without `set` it takes the grant, link or membership away. */
export const plannedSchema = z.discriminatedUnion('kind', [
  z.strictObject({
    kind: z.literal('grant'),
    source,
    id,
    set: fields.grant.refine(some, NOTHING).optional(),
  }),
  z.strictObject({ kind: z.literal('link'), source, id, set: fields.link.refine(some, NOTHING).optional() }),
  z.strictObject({ kind: z.literal('member'), source, id }),
  z.strictObject({ kind: z.literal('space'), source, id, set: fields.space.refine(some, NOTHING) }),
  z.strictObject({ kind: z.literal('item'), source, id, set: fields.item.refine(some, NOTHING) }),
  z.strictObject({ kind: z.literal('person'), source, id, set: fields.person.refine(some, NOTHING) }),
]) satisfies z.ZodType<PlannedChange>;

/** Who is to be kept out. Ids are those that the engine gives. */
export const keepOutSchema = z.union([
  z.strictObject({ outside: z.literal(true), partnersMay: z.boolean().optional() }),
  z.strictObject({ anybody: z.literal(true) }),
  z.strictObject({ identity: id }),
  z.strictObject({ group: id }),
  z.strictObject({ beyond: id }),
]) satisfies z.ZodType<KeepOut>;

/** A goal that a plan is to reach, and that is proven of it afterwards. */
export const goalSchema = z.strictObject({
  keepOut: keepOutSchema,
  items: z
    .array(z.strictObject({ source, item: id }))
    .min(1)
    .max(5000),
  words: z.string().min(1).max(500).refine(holdable, 'must not hold U+0000'),
});

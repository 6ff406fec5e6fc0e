/** Changes as they are picked up and planned: each to one object, by its source's own ids. */
import { z } from 'zod';
import {
  canBeTakenAway,
  fieldsOf,
  fieldsSchema,
  OBJECT_KINDS,
  type ObjectKind,
} from '../core/remedy/fields.ts';
import type { KeepOut } from '../core/remedy/goal.ts';
import type { PlannedChange } from '../core/remedy/plan.ts';

/** PostgreSQL’s text cannot hold U+0000. */
const holdable = (t: string): boolean => !t.includes('\0');
const id = z.string().min(1).max(1100).refine(holdable, 'must not hold U+0000');
const source = z.string().min(1).max(200).refine(holdable, 'must not hold U+0000');
/** The schema of a change to a kind of object, as the kind is declared. */
const schemaOf = (kind: ObjectKind) => {
  const set = fieldsSchema(kind);
  return z.strictObject({
    kind: z.literal(kind),
    source,
    id,
    ...(Object.keys(fieldsOf(kind)).length > 0 && { set: canBeTakenAway(kind) ? set.optional() : set }),
  });
};

/** One planned change. Without `set` it takes the object away, where its kind can be. */
export const plannedSchema = z.discriminatedUnion(
  'kind',
  OBJECT_KINDS.map(schemaOf) as [ReturnType<typeof schemaOf>],
) as unknown as z.ZodType<PlannedChange, PlannedChange>;

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

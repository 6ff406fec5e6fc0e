/** Changes to an organisation's access, as they come in: one object each. */
import { z } from 'zod';
import { EXTERNAL_SHARING } from '../core/model.ts';
import { fieldsSchema } from '../core/remedy/fields.ts';

/** One change to an organisation's access (docs/cli.md). */
export const changeSchema = z.union(
  [
    z.strictObject({ grant: z.string() }),
    z.strictObject({ link: z.string() }),
    z.strictObject({ member: z.strictObject({ group: z.string(), value: z.string() }) }),
    z.strictObject({ grant: z.string(), set: fieldsSchema('grant') }),
    z.strictObject({ link: z.string(), set: fieldsSchema('link') }),
    z.strictObject({ space: z.string(), set: fieldsSchema('space') }),
    z.strictObject({ item: z.string(), set: fieldsSchema('item') }),
    z.strictObject({ user: z.string(), set: fieldsSchema('person') }),
    z.strictObject({
      workspace: z.string(),
      set: z.strictObject({ externalSharing: z.enum(EXTERNAL_SHARING).nullable().optional() }),
    }),
  ],
  'names one of grant, link, member, space, item, user and workspace, and what is set of it (docs/cli.md)',
);

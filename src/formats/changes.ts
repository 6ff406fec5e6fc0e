/** Changes to an organisation's access, as they come in: one object each. */
import { z } from 'zod';
import { AUDIENCES, EXTERNAL_SHARING, ROLES } from '../core/model.ts';

/** One change to an organisation's access (docs/cli.md). */
export const changeSchema = z.union([
  z.strictObject({ grant: z.string() }),
  z.strictObject({ link: z.string() }),
  z.strictObject({ member: z.strictObject({ group: z.string(), value: z.string() }) }),
  z.strictObject({
    space: z.string(),
    set: z
      .object({
        visibility: z.enum(['members', 'organisation']).nullable(),
        visibilityRole: z.enum(ROLES).nullable(),
        externalSharing: z.enum(EXTERNAL_SHARING).nullable(),
        editorsShare: z.boolean().nullable(),
        gate: z.array(z.string()).nullable(),
        defaultAudience: z.enum(AUDIENCES).nullable(),
        dim: z.boolean().nullable(),
        owners: z.array(z.string()).nullable(),
      })
      .partial()
      .strict(),
  }),
  z.strictObject({
    item: z.string(),
    set: z
      .object({
        inherits: z.boolean().nullable(),
        owner: z.string().nullable(),
        held: z.boolean().nullable(),
        dim: z.boolean().nullable(),
      })
      .partial()
      .strict(),
  }),
  z.strictObject({
    user: z.string(),
    set: z.object({ active: z.boolean(), expiresAt: z.string().nullable() }).partial().strict(),
  }),
  z.strictObject({
    workspace: z.string(),
    set: z
      .object({ externalSharing: z.enum(EXTERNAL_SHARING).nullable() })
      .partial()
      .strict(),
  }),
  z.strictObject({
    grant: z.string(),
    set: z
      .object({ role: z.enum(ROLES), expiresAt: z.string().nullable() })
      .partial()
      .strict(),
  }),
  z.strictObject({
    link: z.string(),
    set: z
      .object({
        role: z.enum(ROLES),
        audience: z.enum(AUDIENCES),
        expiresAt: z.string().nullable(),
        noCopies: z.boolean().nullable(),
        recipients: z.array(
          z.union([
            z.strictObject({ user: z.string() }),
            z.strictObject({ group: z.string() }),
            z.strictObject({ email: z.string() }),
          ]),
        ),
      })
      .partial()
      .strict(),
  }),
]);

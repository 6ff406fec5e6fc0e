import { z } from 'zod';
import { scim } from './_scim.ts';

/** What is supported of SCIM (RFC 7643 §5). */
export const GET = scim({
  input: z.looseObject({}),
  run: () =>
    Promise.resolve({
      schemas: ['urn:ietf:params:scim:schemas:core:2.0:ServiceProviderConfig'],
      patch: { supported: true },
      bulk: { supported: false, maxOperations: 0, maxPayloadSize: 0 },
      filter: { supported: true, maxResults: 200 },
      changePassword: { supported: false },
      sort: { supported: false },
      etag: { supported: false },
      authenticationSchemes: [
        {
          type: 'oauthbearertoken',
          name: 'Bearer token',
          description: 'The token that a steward makes under Accounts',
        },
      ],
    }),
});

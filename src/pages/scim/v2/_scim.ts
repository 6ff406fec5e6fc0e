/** The only way to make a SCIM endpoint: it declares its input, and its token is checked before anything runs. */
import type { APIContext, APIRoute } from 'astro';
import type { z } from 'zod';
import type { App } from '../../../services/app.ts';
import { getApp } from '../../../services/instance.ts';
import { SCHEME_HEADER } from '../../../dto/headers.ts';
import { ERROR } from '../../../dto/scim-accounts.ts';
import { bodyText } from '../../api/_endpoint.ts';

const TYPE = 'application/scim+json';
const LONGEST = 1_000_000;

const send = (status: number, body?: unknown): Response =>
  new Response(body === undefined ? null : JSON.stringify(body), {
    status,
    headers: { 'content-type': TYPE },
  });
const failed = (status: number, detail: string, scimType?: string): Response =>
  send(status, { schemas: [ERROR], status: String(status), ...(scimType && { scimType }), detail });

export function scim<S extends z.ZodType>(declared: {
  input: S;
  status?: number;
  run(ctx: { app: App; input: z.infer<S>; id: string; base: string }): Promise<unknown>;
}): APIRoute & { declared: { scim: true; input: S } } {
  const handle: APIRoute = async ({ request, params }: APIContext) => {
    const app = getApp();
    const token = /^Bearer (.{1,200})$/i.exec(request.headers.get('authorization') ?? '')?.[1];
    if (!token || !(await app.scim.knows(token)))
      return failed(401, 'The token is not the one for SCIM here.');
    let raw: unknown = Object.fromEntries(new URL(request.url).searchParams);
    if (!['GET', 'DELETE'].includes(request.method)) {
      if (!/^application\/(?:scim\+)?json/.test(request.headers.get('content-type') ?? ''))
        return failed(415, `Send ${TYPE}.`);
      const text = await bodyText(request);
      if (text === undefined) return failed(413, `The body is longer than ${LONGEST} bytes.`);
      try {
        raw = JSON.parse(text);
      } catch {
        return failed(400, 'The body is not JSON.', 'invalidSyntax');
      }
    }
    const input = declared.input.safeParse(raw);
    if (!input.success)
      return failed(
        400,
        input.error.issues.map((i) => `${i.path.join('.') || 'body'}: ${i.message}`).join('; '),
        'invalidValue',
      );
    try {
      const { host } = new URL(`http://${request.headers.get('host')}`);
      const base = `${request.headers.get(SCHEME_HEADER) ?? 'http'}://${host}/scim/v2`;
      const answer = await declared.run({ app, input: input.data, id: params.id ?? '', base });
      return answer === undefined ? send(204) : send(declared.status ?? 200, answer);
    } catch (e) {
      const known = e as { name?: string; status?: number; type?: string; message: string };
      if (known.name === 'ScimError') return failed(known.status!, known.message, known.type);
      if (known.name === 'AppError') return failed(known.status!, known.message);
      app.log.error({ err: e, method: request.method }, 'SCIM failed');
      return failed(500, 'Something went wrong here; nothing was half done.');
    }
  };
  return Object.assign(handle, { declared: { scim: true as const, input: declared.input } });
}

/**
 * The only way to make an endpoint of the AuthZEN Authorization API 1.0: it declares its input, and the token of the
 * workspace that asks is checked before anything runs. Whoever asks may name the request, and is told its name again.
 */
import type { APIContext, APIRoute } from 'astro';
import type { z } from 'zod';
import type { App } from '../../../services/app.ts';
import { getApp } from '../../../services/instance.ts';
import { bodyText } from '../../api/_endpoint.ts';

const LONGEST = 1_000_000;
const REQUEST = 'x-request-id';

export function authzen<S extends z.ZodType>(declared: {
  input: S;
  run(ctx: { app: App; input: z.infer<S>; source: string }): Promise<unknown>;
}): APIRoute & { declared: { authzen: true; input: S } } {
  const handle: APIRoute = async ({ request }: APIContext) => {
    const app = getApp();
    const named = request.headers.get(REQUEST);
    const send = (status: number, body: unknown, more: Record<string, string> = {}): Response =>
      Response.json(body, {
        status,
        headers: { ...more, ...(named && /^[\x21-\x7e]{1,200}$/.test(named) && { [REQUEST]: named }) },
      });
    const token = /^Bearer (.{1,200})$/i.exec(request.headers.get('authorization') ?? '')?.[1];
    const source = token && app.decisions.sourceOf(token);
    if (!source)
      return send(401, { error: 'This token is of no workspace here.' }, { 'www-authenticate': 'Bearer' });
    if (!request.headers.get('content-type')?.startsWith('application/json'))
      return send(415, { error: 'Send application/json.' });
    const text = await bodyText(request);
    if (text === undefined) return send(413, { error: `The body is longer than ${LONGEST} bytes.` });
    let raw: unknown;
    try {
      raw = JSON.parse(text);
    } catch {
      return send(400, { error: 'The body is not JSON.' });
    }
    const input = declared.input.safeParse(raw);
    if (!input.success)
      return send(400, {
        error: input.error.issues.map((i) => `${i.path.join('.') || 'body'}: ${i.message}`).join('; '),
      });
    try {
      return send(200, await declared.run({ app, input: input.data, source }));
    } catch (e) {
      const known = e as { name?: string; status?: number; message: string };
      if (known.name === 'AppError') return send(known.status!, { error: known.message });
      app.log.error({ err: e }, 'a decision failed');
      return send(500, { error: 'Something went wrong here.' });
    }
  };
  return Object.assign(handle, { declared: { authzen: true as const, input: declared.input } });
}

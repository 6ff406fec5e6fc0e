import { endpoint } from './_endpoint.ts';
import { nothing } from '../../dto/inputs.ts';
import { problem } from './_problem.ts';

const BEAT_MS = 20_000;

/**
 * What happens, as server-sent events; a comment every 20 s keeps the line open, as long as the session is good. It ends
 * with the session, and listening does not keep a session from idling.
 */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run({ app, context, token }) {
    const encoder = new TextEncoder();
    let end = (): void => undefined;
    const detach = app.events.attach(token, () => end());
    if (!detach)
      return Promise.resolve(
        problem(429, 'too-many-streams', 'Too many pages of this session listen already. Close some.'),
      );
    const stream = new ReadableStream<Uint8Array>({
      start(controller) {
        const send = (line: string) => {
          try {
            controller.enqueue(encoder.encode(line));
          } catch {
            end();
          }
        };
        const stop = app.events.listen((e) => send(`event: ${e.type}\ndata: ${JSON.stringify(e)}\n\n`));
        const beat = setInterval(() => {
          (context.locals.machine ? app.tokens : app.accounts).isGood(token).then(
            (good) => (good ? send(': here\n\n') : end()),
            () => undefined,
          );
        }, BEAT_MS);
        end = () => {
          end = () => undefined;
          stop();
          clearInterval(beat);
          detach();
          try {
            controller.close();
          } catch {
            // whoever listened has gone
          }
        };
        context.request.signal.addEventListener('abort', () => end());
        send(': here\n\n');
      },
      cancel: () => end(),
    });
    return Promise.resolve(
      new Response(stream, { headers: { 'content-type': 'text/event-stream', 'x-accel-buffering': 'no' } }),
    );
  },
});

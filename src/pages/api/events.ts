import { endpoint } from './_endpoint.ts';
import { nothing } from '../../dto/inputs.ts';

/** What happens, as server-sent events; a comment every 20 s keeps the line open. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run({ app, context }) {
    const encoder = new TextEncoder();
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
        const beat = setInterval(() => send(': here\n\n'), 20_000);
        const end = () => {
          stop();
          clearInterval(beat);
        };
        context.request.signal.addEventListener('abort', end);
        send(': here\n\n');
      },
    });
    return Promise.resolve(
      new Response(stream, { headers: { 'content-type': 'text/event-stream', 'x-accel-buffering': 'no' } }),
    );
  },
});

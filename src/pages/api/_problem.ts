/** An error as problem details (RFC 9457). */
export function problem(
  status: number,
  code: string,
  detail: string,
  more: Record<string, unknown> = {},
  headers: Record<string, string> = {},
): Response {
  return new Response(
    JSON.stringify({ type: `urn:gate-lantern:problem:${code}`, title: code, status, detail, ...more }),
    {
      status,
      headers: { 'content-type': 'application/problem+json', ...headers },
    },
  );
}

/** An answer of the engine, or 404 where it knows nothing of the kind. */
export const found = <T>(answer: T | undefined): T | Response =>
  answer ??
  problem(
    404,
    'not-there',
    'This is not in the survey that was asked. Survey again, or choose another survey.',
  );

/** What is too large to be worked out is the asker's to change: its words are passed on. */
export async function refused<T>(answer: () => Promise<T>): Promise<T | Response> {
  try {
    return await answer();
  } catch (e) {
    const { name, message } = e as Error;
    if (name === 'RangeError' || name === 'FilterError') return problem(422, 'too-large', message);
    // nobody waits for it any more
    if (name === 'AbortError') return problem(499, 'left', 'Whoever asked for this has gone.');
    throw e;
  }
}

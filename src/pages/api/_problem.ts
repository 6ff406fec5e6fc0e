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

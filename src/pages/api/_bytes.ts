/** Bodies that are no small JSON: read by the endpoint itself, and bounded here. */
const LONGEST_JSON = 16 * 2 ** 20;
export const LONGEST_FILE = 64 * 2 ** 20;

/** An error as the services throw them; endpoints know them by name. */
const refusal = (code: string, status: number, message: string): Error =>
  Object.assign(new Error(message), { name: 'AppError', code, status });

/** The pieces of a body. Throws where it is longer than told. */
export async function* pieces(request: Request, longest: number): AsyncGenerator<Uint8Array> {
  const reader = request.body?.getReader();
  let read = 0;
  while (reader) {
    const { done, value } = await reader.read();
    if (done) return;
    read += value.length;
    if (read > longest) {
      await reader.cancel();
      throw refusal('too-large', 413, `It is larger than ${longest / 2 ** 20} MB.`);
    }
    yield value;
  }
}

/** A body as text. */
export async function textBody(request: Request): Promise<string> {
  const decoder = new TextDecoder();
  let text = '';
  for await (const piece of pieces(request, LONGEST_JSON)) text += decoder.decode(piece, { stream: true });
  return text + decoder.decode();
}

/** A body as JSON. Throws where it is none. */
export async function jsonBody(request: Request): Promise<unknown> {
  const text = await textBody(request);
  try {
    return JSON.parse(text) as unknown;
  } catch {
    throw refusal('not-json', 400, 'The body is not JSON.');
  }
}

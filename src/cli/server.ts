/**
 * gl with a running server (`--server URL`): the token comes from GATE_LANTERN_TOKEN or a file, never from the command
 * line, where whoever lists processes sees it.
 */
import { createWriteStream, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { setTimeout as wait } from 'node:timers/promises';
import { CliError, fileAt, print, progress } from './messages.ts';

export interface ServerOptions {
  server?: string;
  tokenFile?: string;
}
const METHODS = ['GET', 'POST', 'PUT', 'DELETE'];
/** The longest body that is read from stdin. */
const LONGEST_BODY = 1_000_000;

/** A server that is asked with a token. */
class Server {
  constructor(
    private readonly base: string,
    private readonly token: string,
  ) {}

  async ask(method: string, path: string, body?: string): Promise<Response> {
    const url = new URL(`/api/${path.replace(/^\/?(?:api\/)?/, '')}`, this.base);
    let response: Response;
    try {
      response = await fetch(url, {
        method,
        // a token goes to the server that is named, and nowhere else
        redirect: 'error',
        headers: {
          authorization: `Bearer ${this.token}`,
          ...(method !== 'GET' && { 'content-type': 'application/json' }),
        },
        ...(method !== 'GET' && { body: body ?? '{}' }),
      });
    } catch (e) {
      const { cause, message } = e as Error;
      throw new CliError(
        `${this.base} cannot be asked: ${(cause as Error | undefined)?.message ?? message}.`,
      );
    }
    if (response.ok) return response;
    const problem = (await response.json().catch(() => null)) as { detail?: string } | null;
    throw new CliError(problem?.detail ?? `${this.base} answered ${response.status}.`);
  }
}

/** The server that the options name. Throws CliError where it is none, or no token is given. */
export function serverOf({ server, tokenFile }: ServerOptions): Server {
  if (!server) throw new CliError('Name a server: gl --server https://lantern.example COMMAND.');
  if (!URL.canParse(server) || !/^https?:$/.test(new URL(server).protocol))
    throw new CliError(`--server ${server}: this is not an address such as https://lantern.example.`);
  const { protocol, hostname, origin } = new URL(server);
  if (protocol === 'http:' && !/^(?:localhost|127\.0\.0\.1|\[::1\])$/.test(hostname))
    throw new CliError('A token is sent over https alone, or to this machine itself.');
  if (tokenFile) fileAt(tokenFile);
  const token = (tokenFile ? readFileSync(tokenFile, 'utf8') : (process.env.GATE_LANTERN_TOKEN ?? '')).trim();
  if (!/^[\w-]{1,200}$/.test(token))
    throw new CliError('Give a token: in GATE_LANTERN_TOKEN, or a file with --token-file.');
  return new Server(origin, token);
}

/** NAME=VALUE as a query. */
function queryOf(given: readonly string[]): string {
  const query = new URLSearchParams();
  for (const pair of given) {
    const at = pair.indexOf('=');
    if (at < 1) throw new CliError(`“${pair}” is not NAME=VALUE.`);
    query.append(pair.slice(0, at), pair.slice(at + 1));
  }
  return query.size ? `?${query}` : '';
}

async function stdin(): Promise<string> {
  let text = '';
  for await (const piece of process.stdin.setEncoding('utf8')) {
    text += String(piece);
    if (text.length > LONGEST_BODY) throw new CliError(`The body is longer than ${LONGEST_BODY} characters.`);
  }
  return text;
}

/** Prints what the server answers: of a table one line each row, of anything else one line. */
export async function get(path: string, given: string[], options: ServerOptions): Promise<void> {
  const answer = (await (await serverOf(options).ask('GET', path + queryOf(given))).json()) as unknown;
  const rows =
    answer instanceof Object && 'rows' in answer && Array.isArray(answer.rows) ? answer.rows : answer;
  for (const row of Array.isArray(rows) ? (rows as unknown[]) : [rows]) await print(row);
}

/** Sends what stands on stdin as JSON. */
export async function send(method: string, path: string, options: ServerOptions): Promise<void> {
  const wanted = method.toUpperCase();
  if (!METHODS.includes(wanted)) throw new CliError(`${method} is none of ${METHODS.join(', ')}.`);
  const body = process.stdin.isTTY ? '{}' : (await stdin()) || '{}';
  await print(await (await serverOf(options).ask(wanted, path, body)).json());
}

/** Writes all rows of a table as they are exported. */
export async function exportTable(
  table: string,
  given: string[],
  { format, ...options }: ServerOptions & { format: string },
): Promise<void> {
  const query = queryOf([`table=${table}`, `format=${format}`, ...given]);
  const response = await serverOf(options).ask('GET', `export${query}`);
  await pipeline(Readable.fromWeb(response.body as never), process.stdout, { end: false });
}

interface Survey {
  id: number;
  state: string;
  reason: string | null;
  steps: { name: string; done: number; of?: number | null }[];
}

/** Surveys, and waits until the survey is in force. */
export async function survey({ full, ...options }: ServerOptions & { full?: boolean }): Promise<void> {
  const server = serverOf(options);
  const kind = full ? 'full' : 'incremental';
  const { id } = (await (await server.ask('POST', 'surveys', JSON.stringify({ kind }))).json()) as {
    id: number;
  };
  for (;;) {
    await wait(1000);
    const all = (await (await server.ask('GET', 'surveys')).json()) as Survey[];
    const mine = all.find((s) => s.id === id);
    if (!mine || mine.state === 'running') {
      const done = mine?.steps.reduce((n, s) => n + s.done, 0) ?? 0;
      progress('Surveying', 0, 1, done);
      continue;
    }
    await print({ survey: id, state: mine.state, ...(mine.reason && { reason: mine.reason }) });
    if (mine.state !== 'done') process.exitCode = 1;
    return;
  }
}

/** A survey of the server as an extract in a temporary file, which is gone when gl ends. `which`: `now`, or its number. */
export async function fetchExtract(which: string, options: ServerOptions): Promise<string> {
  if (which !== 'now' && !/^\d+$/.test(which))
    throw new CliError(`With --server, the extract is “now” or the number of a survey, and not “${which}”.`);
  const response = await serverOf(options).ask(
    'GET',
    which === 'now' ? 'extracts' : `extracts?asOf=${which}`,
  );
  const home = mkdtempSync(join(tmpdir(), 'gl-'));
  process.on('exit', () => rmSync(home, { recursive: true, force: true }));
  const file = join(home, 'extract.zip');
  await pipeline(Readable.fromWeb(response.body as never), createWriteStream(file, { mode: 0o600 }));
  return file;
}

/** Starts the stand-ins and the built application on a directory of their own, and talks to both. */
import { spawn, type ChildProcess } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, mkdtempSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { fileURLToPath } from 'node:url';
import { chromium, type Browser, type BrowserContext, type Page } from 'playwright-core';
import { makeWorld } from '../../demo/world.ts';
import { makeChanges } from '../../demo/past.ts';
import { demoSources, demoSso, writeWorld } from '../../demo/write.ts';
import { newDatabase, SERVER } from '../own-db.ts';
import type { PlanDetail } from '../../src/dto/remedy.ts';
import type { FaultRule } from '../../standins/faults.ts';
import type { Letter } from '../../standins/mail/server.ts';

const ROOT = fileURLToPath(new URL('../..', import.meta.url));
export const PASSWORDS = {
  steward: 'lantern-steward',
  /** A second steward. */
  deputy: 'lantern-deputy',
  auditor: 'lantern-auditor',
  owner: 'lantern-owner',
} as const;
export type Role = keyof typeof PASSWORDS;

const freePort = (): Promise<number> =>
  new Promise((found) => {
    const probe = createServer().listen(0, '127.0.0.1', () => {
      const { port } = probe.address() as AddressInfo;
      probe.close(() => found(port));
    });
  });

function start(
  program: 'server' | 'standins',
  args: string[],
  ready: RegExp,
  env: NodeJS.ProcessEnv,
): Promise<{ child: ChildProcess; found: string; output: string[] }> {
  const child = spawn(process.execPath, [`dist/app/${program}.mjs`, ...args], {
    cwd: ROOT,
    stdio: ['ignore', 'pipe', 'pipe'],
    env: { ...process.env, ...env },
  });
  const output: string[] = [];
  return new Promise((resolve, reject) => {
    for (const stream of [child.stdout, child.stderr])
      createInterface({ input: stream }).on('line', (line) => {
        output.push(line);
        const m = ready.exec(line);
        if (m) resolve({ child, found: m[1]!, output });
      });
    child.once('exit', (code) => reject(new Error(`${program} ended (${code}): ${output.join('\n')}`)));
  });
}

export const until = async <T>(
  what: string,
  look: () => Promise<T | undefined | false>,
  seconds = 60,
): Promise<T> => {
  for (
    const end = Date.now() + seconds * 1000;
    Date.now() < end;
    await new Promise((r) => setTimeout(r, 50))
  ) {
    const seen = await look();
    if (seen) return seen;
  }
  throw new Error(`Waited ${seconds} s for ${what}.`);
};

/** Runs the command line to its end, without standing in the way of what it talks to. */
export const gl = (
  args: readonly string[],
  { env = {}, input = '' }: { env?: NodeJS.ProcessEnv; input?: string } = {},
): Promise<{ status: number | null; out: string; err: string }> =>
  new Promise((done) => {
    const child = spawn(process.execPath, ['dist/app/gl.mjs', ...args], {
      cwd: ROOT,
      env: { ...process.env, ...env },
    });
    let [out, err] = ['', ''];
    child.stdout.on('data', (d) => (out += String(d)));
    child.stderr.on('data', (d) => (err += String(d)));
    child.on('close', (status) => done({ status, out, err }));
    child.stdin.end(input);
  });

export class Scene {
  readonly home = mkdtempSync(join(tmpdir(), 'gl-e2e-'));
  base = '';
  private app: ChildProcess | undefined;
  private readonly others: ChildProcess[] = [];
  private standins: ChildProcess | undefined;
  standinUrl = '';
  private provider = '';
  /** Of the mail server. */
  mailPort = NaN;
  private cookies = new Map<Role, string>();
  output: string[] = [];
  /** Others than the demo's. */
  sources: object[] | undefined;
  /** Beside the demo's. */
  beside: object[] = [];

  /** Demo accounts and sources unless `bare`. */
  constructor(
    private readonly options: {
      bare?: boolean;
      /** With an identity provider, at which everybody of the ferry line can sign in. */
      sso?: boolean;
      /** With a mail server. */
      mail?: boolean;
      /** Alters the extract that the stand-ins begin with. */
      prepare?: (directory: string) => void;
    } = {},
  ) {}

  /** A database of its own, where these tests are run against a PostgreSQL server. */
  private database: { url: string; drop: () => Promise<void> } | undefined;

  async up(): Promise<void> {
    if (SERVER) this.database = await newDatabase(SERVER);
    const extract = join(this.home, 'extract');
    if (!existsSync(extract)) {
      const prepared = process.env.GATE_LANTERN_PREPARED;
      if (prepared) cpSync(await preparedIn(prepared, 'extract', demoExtract), extract, { recursive: true });
      else await demoExtract(extract);
      this.options.prepare?.(extract);
    }
    const port = await freePort();
    await this.startStandins(port);
    await this.startApp();
  }

  /** As `up`, and surveyed by the steward. That is done once for all test files, which take copies of it. */
  async upSurveyed(): Promise<void> {
    const prepared = process.env.GATE_LANTERN_PREPARED;
    const { bare, sso, prepare } = this.options;
    if (!prepared || SERVER || bare || sso || prepare || this.sources || this.beside.length) {
      await this.up();
      await this.survey();
      return;
    }
    cpSync(await preparedIn(prepared, 'home', surveyedHome), this.home, { recursive: true });
    await this.up();
  }

  async startStandins(port: number): Promise<void> {
    const s = await start(
      'standins',
      [
        '--extract',
        join(this.home, 'extract'),
        '--state',
        join(this.home, 'standins'),
        '--port',
        String(port),
      ],
      /^stand-ins on (.*)$/,
      {
        STANDIN_TOKEN: 'tok',
        STANDIN_CONTROL_TOKEN: 'ctl',
        ...(this.options.sso && { STANDIN_CLIENT_SECRET: 'sec' }),
        ...(this.options.mail && { STANDIN_MAIL: '1' }),
      },
    );
    this.standins = s.child;
    this.standinUrl = s.found;
    this.provider = /identity provider on (.*)/.exec(s.output.join('\n'))?.[1] ?? '';
    this.mailPort = Number(/mail on (\d+)/.exec(s.output.join('\n'))?.[1]);
  }

  /** Has mail sent to the mail server of the stand-ins. */
  setMail = (): Promise<unknown> =>
    this.api('PUT', '/api/messages/settings', {
      host: '127.0.0.1',
      port: this.mailPort,
      security: 'none',
      user: '',
      password: '',
      from: 'lantern@tarntide.example',
      site: this.base,
    });

  /** What lies in the mailboxes, or in that of one address. */
  async letters(to?: string): Promise<Letter[]> {
    const { letters } = (await (await this.control('GET', 'mail')).json()) as { letters: Letter[] };
    return letters.filter((l) => to === undefined || l.to === to);
  }

  /** `wait`: until the last survey is read. */
  async startApp(env: NodeJS.ProcessEnv = {}, wait = true): Promise<void> {
    const seed = join(this.home, 'seed.json');
    const names = {
      steward: 'Sunniva Lunde',
      deputy: 'Ishbel Tait',
      auditor: 'Alasdair Roake',
      owner: 'Merel Zandstra',
    };
    writeFileSync(
      seed,
      JSON.stringify({
        accounts: Object.entries(PASSWORDS).map(([role, password]) => ({
          role: role === 'deputy' ? 'steward' : role,
          password,
          name: names[role as Role],
          address: `${role}@tarntide.example`,
        })),
        sources: this.sources ?? [...demoSources(this.standinUrl, 'tok'), ...this.beside],
        survey: false,
        ...(this.provider && { sso: demoSso(this.provider, 'sec') }),
      }),
    );
    const begin = async (tries: number): ReturnType<typeof start> =>
      start('server', this.options.bare ? [] : ['--seed', seed], /^Gate Lantern is on (.*)$/, {
        GATE_LANTERN_LOCAL_SOURCES: '1',
        GATE_LANTERN_DATA: join(this.home, 'data'),
        PORT: String(await freePort()),
        HOST: '127.0.0.1',
        ...(this.database && { DATABASE_URL: this.database.url }),
        ...env,
      }).catch((e: unknown) => {
        // somebody else took the port before it could
        if (tries > 0 && String(e).includes('is taken')) return begin(tries - 1);
        throw e;
      });
    const s = await begin(5);
    this.app = s.child;
    this.base = s.found;
    this.output = s.output;
    this.cookies.clear();
    if (wait)
      await until(
        'the last survey to be read',
        () =>
          s.child.exitCode === null
            ? Promise.resolve(s.output.includes('Ready to answer.'))
            : Promise.reject(new Error(`It ended: ${s.output.join('\n')}`)),
        600,
      );
  }

  /** Starts it so that the last survey is not read before what is given is called. */
  async startHeld(): Promise<() => void> {
    const hold = join(this.home, 'hold');
    writeFileSync(hold, '');
    const held = fileURLToPath(new URL('held-reading.mjs', import.meta.url));
    await this.startApp({ NODE_OPTIONS: `--import ${held}`, HELD_READING: hold }, false);
    return () => rmSync(hold);
  }

  /**
   * A second process on the same database, with a data directory of its own and the same key: it stands by. Once it
   * `leads`, it is the application that is talked to.
   */
  async standBy(env: NodeJS.ProcessEnv): Promise<{ output: string[]; leads: () => Promise<void> }> {
    const child = spawn(process.execPath, ['dist/app/server.mjs', '--seed', join(this.home, 'seed.json')], {
      cwd: ROOT,
      stdio: ['ignore', 'pipe', 'pipe'],
      env: {
        ...process.env,
        GATE_LANTERN_LOCAL_SOURCES: '1',
        GATE_LANTERN_DATA: join(this.home, 'second'),
        GATE_LANTERN_KEY_FILE: join(this.home, 'data', 'secret.key'),
        PORT: String(await freePort()),
        HOST: '127.0.0.1',
        ...env,
      },
    });
    const output: string[] = [];
    for (const stream of [child.stdout, child.stderr])
      createInterface({ input: stream }).on('line', (line) => output.push(line));
    this.others.push(child);
    return {
      output,
      leads: async () => {
        await until('it to lead', () => Promise.resolve(output.includes('Ready to answer.')));
        this.app = child;
        this.base = /on (http\S+)/.exec(output.join('\n'))![1]!;
        this.output = output;
      },
    };
  }

  /** Waits until what the next start begins with is kept. */
  kept(seconds = 600): Promise<boolean> {
    const file = join(this.home, 'data', 'columns', 'rows.columns');
    return until('the rows to be kept', () => Promise.resolve(existsSync(file) || undefined), seconds);
  }

  /** Ends the application with no warning, and waits until it is gone. */
  async kill(signal: NodeJS.Signals = 'SIGKILL'): Promise<void> {
    const { app } = this;
    if (!app || app.exitCode !== null || app.signalCode !== null) return;
    const gone = new Promise((done) => app.once('exit', done));
    app.kill(signal);
    await gone;
  }

  /** Ends everything as it should be ended. */
  async stop(): Promise<void> {
    await this.kill('SIGTERM');
    this.standins?.kill('SIGKILL');
  }

  async down(): Promise<void> {
    await this.kill();
    for (const other of this.others) other.kill('SIGKILL');
    this.standins?.kill('SIGKILL');
    await this.database?.drop();
    rmSync(this.home, { recursive: true, force: true });
  }

  async raw(
    method: string,
    path: string,
    init: { body?: unknown; role?: Role; headers?: Record<string, string> } = {},
  ): Promise<Response> {
    const cookie = init.role ? await this.cookie(init.role) : undefined;
    // after a test has computed for long: hear first which kept connections were closed meanwhile
    await new Promise((heard) => setTimeout(heard, 1));
    const ask = () =>
      fetch(this.base + path, {
        method,
        redirect: 'manual',
        headers: {
          ...(method !== 'GET' && { origin: this.base, 'content-type': 'application/json' }),
          ...(cookie && { cookie }),
          ...init.headers,
        },
        ...(method !== 'GET' && {
          body:
            typeof init.body === 'string' || init.body instanceof Uint8Array
              ? (init.body as string)
              : JSON.stringify(init.body ?? {}),
        }),
      });
    try {
      return await ask();
    } catch (e) {
      // a kept connection that was closed just as the question went out: reading may be asked again
      const { code } = ((e as Error).cause ?? {}) as { code?: string };
      if (method !== 'GET' || (code !== 'ECONNRESET' && code !== 'UND_ERR_SOCKET')) throw e;
      return ask();
    }
  }

  async api<T>(method: string, path: string, body?: unknown, role: Role = 'steward'): Promise<T> {
    const response = await this.raw(method, path, { body, role });
    const answer = (await response.json()) as T & { detail?: string };
    if (!response.ok) throw new Error(`${method} ${path}: ${response.status} ${answer?.detail}`);
    return answer;
  }

  /** Has a second steward approve a plan, where it wants that. */
  async approved(plan: number): Promise<void> {
    const { approval, survey } = await this.api<PlanDetail>('GET', `/api/plans/${plan}`);
    if (!approval) return;
    await this.api('POST', `/api/plans/${plan}`, { act: 'ask' });
    const body = { act: 'decide', approved: true, said: 'seen', survey };
    await this.api('POST', `/api/plans/${plan}`, body, 'deputy');
  }

  /** Undoes a plan, or some of its changes, with whatever approval that wants. */
  async undo(plan: number, changes?: number[]): Promise<void> {
    const { undoWants } = await this.api<PlanDetail>('GET', `/api/plans/${plan}`);
    const act = undoWants.length ? 'askUndo' : 'undo';
    await this.api('POST', `/api/plans/${plan}`, { act, ...(changes && { changes }) });
    if (undoWants.length)
      await this.api('POST', `/api/plans/${plan}`, { act: 'decideUndo', approved: true }, 'deputy');
  }

  cookieOf(role: Role): Promise<string> {
    return this.cookie(role);
  }

  /** Makes the workspaces know their change tokens no more. */
  async forget(): Promise<void> {
    await this.control('PUT', 'forget');
  }

  private async cookie(role: Role): Promise<string> {
    let cookie = this.cookies.get(role);
    if (!cookie) {
      const response = await this.raw('POST', '/api/session', {
        body: { address: `${role}@tarntide.example`, password: PASSWORDS[role] },
      });
      cookie = response.headers.get('set-cookie')!.split(';')[0]!;
      this.cookies.set(role, cookie);
    }
    return cookie;
  }

  /** Asks the stand-ins' control. */
  async control(method: string, path: string, body?: unknown): Promise<Response> {
    // after a test has computed for long: hear first which kept connections were closed meanwhile
    await new Promise((heard) => setTimeout(heard, 1));
    return fetch(`${this.standinUrl}/control/${path}`, {
      method,
      headers: { authorization: 'Bearer ctl' },
      ...(body !== undefined && { body: JSON.stringify(body) }),
    });
  }

  async faults(rules: FaultRule[]): Promise<void> {
    await this.control('PUT', 'faults', rules);
  }

  async truth<T = Record<string, unknown>>(kind: string, id?: string): Promise<T> {
    const path = `truth/${kind}${id ? `/${encodeURIComponent(id)}` : ''}`;
    return (await (await this.control('GET', path)).json()) as T;
  }

  async setTruth(kind: string, row: object): Promise<void> {
    await this.control('PUT', `truth/${kind}`, row);
  }

  async removeTruth(kind: string, id: string): Promise<void> {
    await this.control('DELETE', `truth/${kind}/${id}`);
  }

  /** Messages that the workspaces sent of themselves. */
  async outbox(): Promise<{ to: string; about: string; text: string }[]> {
    return (await (await this.control('GET', 'outbox')).json()) as {
      to: string;
      about: string;
      text: string;
    }[];
  }

  /** Puts down everything in the tray. */
  async emptyTray(): Promise<void> {
    const { list, goals } = await this.api<{ list: { seq: number }[]; goals: { seq: number }[] }>(
      'GET',
      '/api/tray',
    );
    await this.api('DELETE', '/api/tray', { seqs: list.map((t) => t.seq), goals: goals.map((g) => g.seq) });
  }

  /** Runs a survey to its end. */
  async survey(kind: 'full' | 'incremental' = 'full'): Promise<SurveyRow> {
    const { id } = await this.api<{ id: number }>('POST', '/api/surveys', { kind });
    return this.surveyEnd(id);
  }

  /** What happens in the demo's world after its first survey. */
  happenLater(): Promise<void> {
    return makeChanges(makeWorld().later, { url: this.standinUrl, token: 'ctl' });
  }

  surveyEnd(id: number, seconds = 120): Promise<SurveyRow> {
    return until(
      `the end of survey ${id}`,
      async () => {
        const row = (await this.api<SurveyRow[]>('GET', '/api/surveys')).find((s) => s.id === id);
        const { survey } = await this.api<{ survey: { running: boolean } }>('GET', '/api/course');
        return row && row.state !== 'running' && !survey.running ? row : undefined;
      },
      seconds,
    );
  }
}

/** What test files share, in a directory: whoever comes first makes it. */
async function preparedIn(
  directory: string,
  name: string,
  make: (to: string) => Promise<void>,
): Promise<string> {
  const [there, making] = [join(directory, name), join(directory, `making ${name}`)];
  for (;;) {
    if (existsSync(there)) return there;
    try {
      mkdirSync(making);
    } catch {
      await until(name, () => Promise.resolve(existsSync(there) || !existsSync(making)), 900);
      continue;
    }
    try {
      await make(join(making, name));
      renameSync(join(making, name), there);
      return there;
    } finally {
      rmSync(making, { recursive: true });
    }
  }
}

const demoExtract = (to: string): Promise<void> => Promise.resolve(writeWorld(makeWorld(), to));

async function surveyedHome(to: string): Promise<void> {
  const scene = new Scene();
  try {
    await scene.up();
    await scene.survey();
    await scene.kept();
    await scene.stop();
    renameSync(scene.home, to);
  } finally {
    await scene.down();
  }
}

export interface SurveyRow {
  id: number;
  kind: string;
  state: string;
  reason: string | null;
  failures: number;
  added: number;
  altered: number;
  removed: number;
  steps: {
    name: string;
    done: number;
    failed: number;
    state: string;
    note: string | null;
    startedAt?: string | null;
    finishedAt?: string | null;
  }[];
}

export const openBrowser = (): Promise<Browser> =>
  chromium.launch({
    executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium',
    args: [
      '--no-sandbox',
      '--disable-gpu',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
    ],
  });

/** A page that is gone to once it has come alive: what is clicked before that is lost. */
export async function livePage(context: BrowserContext): Promise<Page> {
  const page = await context.newPage();
  const goto = page.goto.bind(page);
  page.goto = async (...given) => {
    const response = await goto(...given);
    await page.waitForFunction(() => !document.querySelector('astro-island[ssr]'));
    return response;
  };
  return page;
}

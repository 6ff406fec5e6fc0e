/**
 * The demo: the stand-ins with the made-up world, and the application reading from them.
 * Its state is kept in GATE_LANTERN_DATA/demo (stand-ins) and GATE_LANTERN_DATA (application).
 */
import { spawn, type ChildProcess } from 'node:child_process';
import { createHmac, randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type AddressInfo } from 'node:net';
import { join, resolve } from 'node:path';
import { createInterface } from 'node:readline';
import { parseArgs } from 'node:util';
import { makeWorld } from './world.ts';
import { daysSince, makePast, moved, hear } from './past.ts';
import { demoSources, demoSso, writeWorld } from './write.ts';

const { values: args } = parseArgs({
  options: { dev: { type: 'boolean', default: false }, reset: { type: 'boolean', default: false } },
});
const data = resolve(process.env.GATE_LANTERN_DATA ?? '.data');
const demo = join(data, 'demo');

export const DEMO_ACCOUNTS = [
  {
    name: 'Sunniva Lunde',
    address: 'steward@tarntide.example',
    role: 'steward',
    password: 'lantern-steward',
  },
  {
    name: 'Ishbel Tait',
    address: 'deputy@tarntide.example',
    role: 'steward',
    password: 'lantern-deputy',
  },
  {
    name: 'Alasdair Roake',
    address: 'auditor@tarntide.example',
    role: 'auditor',
    password: 'lantern-auditor',
  },
  { name: 'Merel Zandstra', address: 'owner@tarntide.example', role: 'owner', password: 'lantern-owner' },
];

if (args.reset) {
  const holder = join(data, 'in-use');
  if (existsSync(holder)) {
    try {
      process.kill(Number(readFileSync(holder, 'utf8')), 0);
      process.stderr.write('Gate Lantern is running on this data. Stop it first, then reset.\n');
      process.exit(1);
    } catch {
      // left behind by a process that is gone
    }
  }
  for (const name of ['demo', 'db', 'extracts', 'secret.key', 'in-use'])
    rmSync(join(data, name), { recursive: true, force: true });
  process.stdout.write('The demo is as it was at first. npm start opens it.\n');
  process.exit(0);
}

// what the demo writes is for its user alone, however it was started
process.umask(0o077);
mkdirSync(demo, { recursive: true });
const extract = join(demo, 'extract');
// its dates are of the day it was first opened on, and stay so
const dayFile = join(demo, 'days.json');
if (!existsSync(dayFile)) {
  const world = makeWorld();
  const days = daysSince((world.manifest as { takenAt: string }).takenAt);
  writeWorld(world, extract, days);
  writeFileSync(dayFile, JSON.stringify(days));
}
const days = JSON.parse(readFileSync(dayFile, 'utf8')) as number;
const clock = join(demo, 'clock.json');
// a past that was begun and not finished goes on with the clock as it is
rmSync(clock, { force: true });
const tokenFile = join(demo, 'tokens.json');
if (!existsSync(tokenFile))
  writeFileSync(
    tokenFile,
    JSON.stringify({
      port: await freePort(0),
      token: randomBytes(18).toString('base64url'),
      control: randomBytes(18).toString('base64url'),
    }),
    { mode: 0o600 },
  );

const tokens = JSON.parse(readFileSync(tokenFile, 'utf8')) as {
  port: number;
  token: string;
  control: string;
};

/** The port, if it is free; else any that is. */
function freePort(wanted: number): Promise<number> {
  return new Promise((found) => {
    const probe = createServer();
    probe.once('error', () => found(freePort(0)));
    probe.listen(wanted, '127.0.0.1', () => {
      const { port } = probe.address() as AddressInfo;
      probe.close(() => found(port));
    });
  });
}

/** By which token each workspace asks for decisions: the same at every start. */
const deciding = Object.fromEntries(
  ['drives', 'sites', 'channels'].map((id) => [
    id,
    `gld_${createHmac('sha256', tokens.control).update(id).digest('base64url')}`,
  ]),
);

/** With which secret each signs what it tells. */
const telling = Object.fromEntries(
  Object.keys(deciding).map((id) => [
    id,
    `whsec_${createHmac('sha256', tokens.control).update(`telling ${id}`).digest('base64')}`,
  ]),
);

const children: ChildProcess[] = [];
let stopping = false;
function stop(code: number): void {
  if (stopping) return;
  stopping = true;
  for (const c of children) c.kill('SIGTERM');
  const gone = children.map((c) =>
    c.exitCode !== null || c.signalCode !== null
      ? Promise.resolve()
      : new Promise<void>((done) => c.on('exit', () => done())),
  );
  void Promise.all(gone).then(() => process.exit(code));
}
process.on('SIGINT', () => stop(0));
process.on('SIGTERM', () => stop(0));

/** Starts a program, in development from its source; resolves with the first line it prints that matches. */
function start(
  [name, source]: [name: string, source: string],
  more: string[],
  ready: RegExp,
  show: boolean,
  env: NodeJS.ProcessEnv = process.env,
  hear: (line: string) => void = () => undefined,
): Promise<string> {
  const child = spawn(
    process.execPath,
    [...(args.dev ? ['--import', 'tsx', source] : [`dist/app/${name}.mjs`]), ...more],
    {
      stdio: ['ignore', 'pipe', 'inherit'],
      env,
    },
  );
  children.push(child);
  child.on('exit', (code) => stop(code ?? 1));
  return new Promise((found) => {
    createInterface({ input: child.stdout }).on('line', (line) => {
      hear(line);
      if (show && !ready.test(line)) process.stdout.write(`${line}\n`);
      if (ready.test(line)) found(ready.exec(line)![1]!);
    });
  });
}

let provider = '';
let mailPort = 0;
const clientSecret = randomBytes(18).toString('base64url');
const standins = await start(
  ['standins', 'standins/server.ts'],
  ['--port', String(await freePort(tokens.port)), '--extract', extract, '--state', join(demo, 'standins')],
  /^stand-ins on (.*)$/,
  false,
  {
    ...process.env,
    STANDIN_TOKEN: tokens.token,
    STANDIN_CONTROL_TOKEN: tokens.control,
    STANDIN_CLIENT_SECRET: clientSecret,
    STANDIN_MAIL: '1',
  },
  (line) => {
    provider = /^identity provider on (.*)$/.exec(line)?.[1] ?? provider;
    mailPort = Number(/^mail on (\d+)$/.exec(line)?.[1] ?? mailPort);
  },
);
const seed = join(demo, 'seed.json');
writeFileSync(
  seed,
  JSON.stringify({
    accounts: DEMO_ACCOUNTS,
    sources: demoSources(standins, tokens.token),
    survey: false,
    clock,
    sso: demoSso(provider, clientSecret),
    deciding,
    telling,
    farSide: `${standins}/far`,
    registry: `${standins}/registry`,
  }),
  { mode: 0o600 },
);
writeFileSync(join(demo, 'control.json'), JSON.stringify({ url: standins, token: tokens.control }), {
  mode: 0o600,
});
const address = await start(
  ['server', 'src/server.ts'],
  ['--seed', seed, ...(args.dev ? ['--dev'] : [])],
  /^Gate Lantern is on (.*)$/,
  true,
  // the stand-ins are on this machine
  {
    ...process.env,
    GATE_LANTERN_DATA: data,
    GATE_LANTERN_LOCAL_SOURCES: '1',
    GATE_LANTERN_SMTP: `smtp://127.0.0.1:${mailPort}`,
    GATE_LANTERN_MAIL_FROM: 'lantern@tarntide.example',
    GATE_LANTERN_SITE: `http://${process.env.HOST ?? '127.0.0.1'}:${process.env.PORT ?? 4680}`,
  },
);
await fetch(`${standins}/control/decisions`, {
  method: 'PUT',
  headers: { authorization: `Bearer ${tokens.control}` },
  body: JSON.stringify({ url: address, tokens: deciding, whenSilent: 'let' }),
});
await makePast(JSON.parse(moved(JSON.stringify(makeWorld()), days)) as ReturnType<typeof makeWorld>, {
  marker: join(demo, 'past-made'),
  changes: join(extract, 'later.json'),
  clock,
  app: address,
  steward: DEMO_ACCOUNTS[0]!,
  second: DEMO_ACCOUNTS[1]!,
  control: { url: standins, token: tokens.control },
  deciding,
  telling,
  say: (line) => process.stdout.write(`${line}\n`),
}).catch((e: unknown) => {
  rmSync(clock, { force: true });
  process.stderr.write(`The demo’s history could not be completed: ${String(e)}\n`);
});
await hear({ control: { url: standins, token: tokens.control }, app: address, telling });
process.stdout.write(`
Gate Lantern is ready: ${address}

  ${DEMO_ACCOUNTS.map((a) => `${a.role.padEnd(8)} ${a.address.padEnd(26)} ${a.password}`).join('\n  ')}

or “Sign in with Tarn & Tide” as anybody of the ferry line: no password is asked there.
What is sent to people is read at ${standins}/mail/

Everything in it is made up. Stop with Ctrl C.
`);

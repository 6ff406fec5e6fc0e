/**
 * The demo: the stand-ins with the made-up world, and the application reading from them.
 * Its state is kept in GATE_LANTERN_DATA/demo (stand-ins) and GATE_LANTERN_DATA (application).
 */
import { spawn, type ChildProcess } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type AddressInfo } from 'node:net';
import { join, resolve } from 'node:path';
import { createInterface } from 'node:readline';
import { parseArgs } from 'node:util';
import { makeWorld } from './world.ts';
import { happenLater } from './later.ts';
import { demoSources, writeWorld } from './write.ts';

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

mkdirSync(demo, { recursive: true });
const extract = join(demo, 'extract');
if (!existsSync(join(extract, 'manifest.json'))) writeWorld(makeWorld(), extract);
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

/** Starts a TypeScript program; resolves with the first line it prints that matches. */
function start(
  file: string,
  more: string[],
  ready: RegExp,
  show: boolean,
  env: NodeJS.ProcessEnv = process.env,
): Promise<string> {
  const child = spawn(process.execPath, ['--import', 'tsx', file, ...more], {
    stdio: ['ignore', 'pipe', 'inherit'],
    env,
  });
  children.push(child);
  child.on('exit', (code) => stop(code ?? 1));
  return new Promise((found) => {
    createInterface({ input: child.stdout }).on('line', (line) => {
      if (show && !ready.test(line)) process.stdout.write(`${line}\n`);
      if (ready.test(line)) found(ready.exec(line)![1]!);
    });
  });
}

const standins = await start(
  'standins/server.ts',
  [
    '--port',
    String(await freePort(tokens.port)),
    '--extract',
    extract,
    '--state',
    join(demo, 'standins'),
    // with an equals sign: one in thirty-two begins with a dash
    `--token=${tokens.token}`,
    `--control-token=${tokens.control}`,
  ],
  /^stand-ins on (.*)$/,
  false,
);
const seed = join(demo, 'seed.json');
writeFileSync(
  seed,
  JSON.stringify({
    accounts: DEMO_ACCOUNTS,
    sources: demoSources(standins, tokens.token),
    survey: true,
  }),
  { mode: 0o600 },
);
writeFileSync(join(demo, 'control.json'), JSON.stringify({ url: standins, token: tokens.control }), {
  mode: 0o600,
});
const address = await start(
  'src/server.ts',
  ['--seed', seed, ...(args.dev ? ['--dev'] : [])],
  /^Gate Lantern is on (.*)$/,
  true,
  { ...process.env, GATE_LANTERN_DATA: data },
);
process.stdout.write(`
Gate Lantern is ready: ${address}

  ${DEMO_ACCOUNTS.map((a) => `${a.role.padEnd(8)} ${a.address.padEnd(26)} ${a.password}`).join('\n  ')}

Everything in it is made up. At the first start two surveys run by themselves: everything, then
what changed since. Stop with Ctrl C.
`);
await happenLater({
  marker: join(demo, 'later-happened'),
  changes: join(extract, 'later.json'),
  app: address,
  steward: DEMO_ACCOUNTS[0]!,
  control: { url: standins, token: tokens.control },
}).catch((e: unknown) =>
  process.stderr.write(`The second survey of the demo did not come about: ${String(e)}\n`),
);

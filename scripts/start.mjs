// npm start            the demo: installs, builds, starts the stand-ins and the application
// npm run dev          the same, with pages rebuilt as they are edited
// npm run demo:reset   puts the demo back as it was at first
// npm run serve        the application alone, for real workspaces
import { spawn } from 'node:child_process';
import { build, install, ROOT } from './setup.mjs';

const flags = process.argv.slice(2);
install();
// putting the demo back is not worth a build
const unbuilt = flags.includes('--dev') || flags.includes('--reset');
if (!unbuilt) build();
const target = unbuilt
  ? ['--import', 'tsx', 'demo/run.ts', ...flags]
  : flags.includes('--bare')
    ? ['dist/app/server.mjs']
    : ['dist/app/demo.mjs', ...flags];
const child = spawn(process.execPath, target, { cwd: ROOT, stdio: 'inherit' });
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => child.kill(signal));
child.on('exit', (code) => process.exit(code ?? 1));

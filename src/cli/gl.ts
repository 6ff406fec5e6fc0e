/**
 * gl: the same core without a browser. JSON Lines on stdout, messages on stderr.
 * Exit codes: 0 done; 1 the answer is no; 2 the call or a file is wrong; 70 gl itself failed.
 */
import { writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Command, CommanderError } from 'commander';
import about from '../../package.json' with { type: 'json' };
import { clear, CliError, complain, settings } from './messages.ts';

const FAILED = 70; // EX_SOFTWARE of sysexits.h

/** Ends the program where gl itself failed: one line, and the details in a file. */
function crash(error: unknown): never {
  const file = join(tmpdir(), `gl-failed-${process.pid}-${Date.now()}.txt`);
  const { message = String(error), stack = message } = error as Error;
  let where = `The details are in ${file}.`;
  try {
    writeFileSync(
      file,
      `gl ${about.version}, ${process.version}, ${process.argv.slice(2, 3).join()}\n${stack}\n`,
      {
        mode: 0o600,
      },
    );
  } catch {
    where = 'The details could not be written to a file.';
  }
  complain(`failed by an error of its own: ${message.split('\n')[0]}. ${where}`);
  process.exit(FAILED);
}
process.on('uncaughtException', crash);
process.on('unhandledRejection', crash);
let ended = false;
process.on('exit', (code) => {
  // Node.js leaves without a word where what is waited for never comes
  if (!ended && code !== FAILED) crash(new Error('it waits for something that never comes'));
});

/** What a command does: loaded when it is called, for most need much that the others do not. */
const run =
  <A extends unknown[]>(load: () => Promise<(...given: A) => Promise<void>>) =>
  async (...given: unknown[]): Promise<void> =>
    (await load())(...(given as A));

/** A command that is given the server's options with its own. */
const withServer =
  <A extends unknown[]>(command: (...given: A) => Promise<void>) =>
  (...given: A): Promise<void> =>
    command(
      ...(given.map((g, n) =>
        n === given.length - 2 ? { ...program.opts(), ...(g as object) } : g,
      ) as unknown as A),
    );

const program = new Command('gl')
  .description('Gate Lantern without a browser')
  .version(about.version)
  .option('--server <url>', 'a running Gate Lantern, asked with the token in GATE_LANTERN_TOKEN')
  .option('--token-file <file>', 'the token, in a file')
  .exitOverride()
  .showHelpAfterError('“gl --help” lists the commands; “gl COMMAND --help” says what one takes.');

program
  .command('classify')
  .description('recognise sensitive content: one line for each file and data type')
  .argument('<file...>', 'files, or directories of them')
  .option(
    '--min-certainty <n>',
    'leave out matches below this certainty, 0–100 (presets: Wide 30, Balanced 55, Strict 80)',
    '30',
  )
  .option('--types <ids>', 'these data types alone, with commas between')
  .option('--custom <file>', 'custom data types too, as JSON (docs/recognition.md)')
  .option('--parts <parts>', 'these parts of documents alone: title, body, comment, suggestion, metadata')
  .action(run(async () => (await import('./classify.ts')).classify));
const types = program
  .command('types')
  .description('the data types: id, name, weight, country, source')
  .action(run(async () => (await import('./classify.ts')).listTypes));
types
  .command('test')
  .description('run the cases of custom data types: what must match and what must not')
  .argument('<file>', 'custom data types as JSON')
  .action(run(async () => (await import('./classify.ts')).testTypes));

const access = (name: string, about: string): Command =>
  program
    .command(name)
    .description(about)
    .argument('<dir>', 'a bulk extract: a directory or a .zip of one')
    .option('--as-of <time>', 'judge at this moment (RFC 3339) and not when the extract was taken');
const WITHOUT = ['--without <file>', 'what if: with these changes, one a line'] as const;

access('reach', 'how far access to every item extends, now and could')
  .option(...WITHOUT)
  .option('--spaces', 'of spaces and not of items')
  .action(run(async () => (await import('./access.ts')).reachCommand));
access('who', 'who can do what with an item')
  .argument('<item>')
  .option(...WITHOUT)
  .action(run(async () => (await import('./access.ts')).whoCommand));
access('what', 'what an identity can do, item by item')
  .argument('<identity>')
  .option(...WITHOUT)
  .action(run(async () => (await import('./access.ts')).whatCommand));
access('why', 'by which routes an identity reaches an item, and what keeps it from more')
  .argument('<identity>')
  .argument('<item>')
  .option(...WITHOUT)
  .option('--used <days>', 'mark each route used or only granted, by activity.jsonl of the last so many days')
  .action(run(async () => (await import('./access.ts')).whyCommand));
access('diff', 'what changed between two extracts, item by item')
  .argument('<dir2>')
  .option('--spaces', 'of spaces and not of items')
  .action(run(async () => (await import('./access.ts')).diffCommand));

access('find', 'spaces, folders and files that a condition holds of (docs/filters.md)')
  .argument('<condition>', 'in CEL, such as: weight >= 3 && could >= outside')
  .option('--min-certainty <n>', 'matches count from this certainty on, 0–100', '55')
  .action(run(async () => (await import('./find.ts')).find));

access('dormant', 'spaces in which nothing has happened for long (docs/review.md)')
  .option('--days <n>', 'for so many days', '90')
  .option('--all', 'all spaces, and how long each lies idle')
  .action(run(async () => (await import('./dormant.ts')).listDormant));

access('apps', 'what each third-party app could really read, and its risk (docs/apps.md)')
  .option('--min-certainty <n>', 'matches count from this certainty on, 0–100', '55')
  .action(run(async () => (await import('./apps.ts')).listApps));
access('app-reach', 'what an app could do with each item, and through whom')
  .argument('<app>', 'its client id')
  .action(run(async () => (await import('./apps.ts')).appReach));

access('cut', 'the least change that meets a goal: who is to be kept out of what (docs/remedy.md)')
  .argument('<goal>', 'the goal as JSON')
  .option('--min-certainty <n>', 'matches count from this certainty on, 0–100', '55')
  .action(run(async () => (await import('./cut.ts')).cut));

program
  .command('copy')
  .description('read an extract and write it as a directory of JSON Lines')
  .argument('<dir>', 'a bulk extract: a directory or a .zip of one')
  .argument('<to>', 'a new or empty directory')
  .action(run(async () => (await import('./copy.ts')).copyExtract));

program
  .command('get')
  .description('what a server answers at a path of its API (--server): one line, or one for each row')
  .argument('<path>', 'such as findings')
  .argument('[name=value...]', 'what it is asked with, such as state=open')
  .action(run(async () => withServer((await import('./server.ts')).get)));
program
  .command('send')
  .description('send JSON from stdin to a path of a server’s API (--server)')
  .argument('<method>', 'POST, PUT or DELETE')
  .argument('<path>')
  .action(run(async () => withServer((await import('./server.ts')).send)));
program
  .command('export')
  .description('all rows of a table of a server (--server)')
  .argument('<table>', 'such as findings, holdings, ledger')
  .argument('[name=value...]', 'what it is held to, such as state=open')
  .option('--format <format>', 'csv, xlsx, jsonl or ocsf', 'jsonl')
  .action(run(async () => withServer((await import('./server.ts')).exportTable)));
program
  .command('survey')
  .description('have a server survey, and wait until that is in force (--server)')
  .option('--full', 'read everything, and not what changed alone')
  .action(run(async () => withServer((await import('./server.ts')).survey)));

const DATA = process.env.GATE_LANTERN_DATA ?? '.data';
const PASSPHRASE = [
  '--passphrase-file <file>',
  'the passphrase, in a file; else GATE_LANTERN_PASSPHRASE',
] as const;
program
  .command('backup')
  .description(
    'a backup of a running Gate Lantern on this machine, sealed with a passphrase (docs/backup.md)',
  )
  .argument('<file>')
  .option('--data <dir>', 'its data directory', DATA)
  .option(...PASSPHRASE)
  .action(run(async () => (await import('./backup.ts')).makeBackup));
program
  .command('restore')
  .description('a new data directory of a backup; everything in it is counted and the ledger is followed')
  .argument('<file>')
  .argument('<directory>', 'new, or empty')
  .option(...PASSPHRASE)
  .action(run(async () => (await import('./backup.ts')).restoreBackup));
program
  .command('move-store')
  .description(
    'carry the store of a stopped Gate Lantern to a PostgreSQL server, and compare it there (docs/scale.md)',
  )
  .option('--to <url>', 'postgres://user@host/database, which holds nothing yet')
  .option('--from <url>', 'the same, to come back into the data directory')
  .option('--data <dir>', 'its data directory', DATA)
  .action(run(async () => (await import('./move-store.ts')).move));
program
  .command('key')
  .description('the key that what is kept is sealed with')
  .command('rotate')
  .description('seal everything of a stopped Gate Lantern with a new key (docs/security.md)')
  .option('--data <dir>', 'its data directory', DATA)
  .option('--to <file>', 'a new file for the new key, where the old one is not in the data directory')
  .action(run(async () => (await import('./key.ts')).rotate));

program
  .command('events')
  .description('what happened, as CloudEvents (docs/events.md)')
  .command('check')
  .description('whether each line is an event of a known type: how many there are of each')
  .argument('<file>', 'CloudEvents 1.0, one a line')
  .action(run(async () => (await import('./events.ts')).checkEvents));
program
  .command('signals')
  .description('many different things by one key in a short time: one line for each signal')
  .argument('<events>', 'CloudEvents 1.0, one a line, in any order')
  .argument('<window>', 'the window as JSON: by, distinct, count, within, if (docs/events.md)')
  .action(run(async () => (await import('./events.ts')).findSignals));

program
  .command('orders')
  .description('standing orders as files (docs/orders.md)')
  .command('check')
  .description('whether a file holds orders that can be read: each in sentences, or everything that is wrong')
  .argument('<file>')
  .action(run(async () => (await import('./orders.ts')).checkOrders));

const policy = program.command('policy').description('policies as files (docs/policies.md)');
policy
  .command('check')
  .description('whether a file holds policies that can be read: everything that is wrong is told')
  .argument('<file>')
  .action(run(async () => (await import('./policy.ts')).checkPolicy));
policy
  .command('try')
  .description('what the policies of a file would hit on an extract')
  .argument('<dir>', 'a bulk extract: a directory or a .zip of one')
  .argument('<file>')
  .option('--as-of <time>', 'judge at this moment (RFC 3339); the survey’s own where absent')
  .option('--min-certainty <n>', 'matches count from this certainty on, 0–100', '55')
  .action(run(async () => (await import('./policy.ts')).tryPolicy));
policy
  .command('test')
  .description('try the cases beside the policies of a file')
  .argument('<file>')
  .action(run(async () => (await import('./policy.ts')).testPolicy));

const ledger = program.command('ledger').description('the ledger, as exported');
ledger
  .command('verify')
  .description('follow the hash chain of an exported ledger')
  .argument('<file>')
  .option('--heads <file>', 'signed heads of it that were kept elsewhere: they show a cut end')
  .option('--thumbprint <t>', 'the key that must have signed the heads (RFC 7638)')
  .option('--head <hash>', 'the hash that its last entry must have')
  .option('--count <n>', 'how many entries it must have')
  .action(run(async () => (await import('./ledger.ts')).verifyLedger));

const evidence = program.command('evidence').description('plans as signed evidence');
evidence
  .command('verify')
  .description('check evidence by itself: its signature, its ledger entries, and what it says of each change')
  .argument('<file>')
  .option('--thumbprint <t>', 'the key that must have signed it, as the installation tells it (RFC 7638)')
  .option('--key <file>', 'the same, as a file with the public key (JWK)')
  .action(run(async () => (await import('./evidence.ts')).verifyEvidence));

/** The commands at the ends of the tree, which do something. */
const leaves = (command: Command): Command[] =>
  command.commands.length ? command.commands.flatMap(leaves) : [command];
for (const command of leaves(program)) {
  command.option('--quiet', 'say nothing but errors');
  if (command.registeredArguments[0]?.name() !== 'dir') continue;
  command
    .option('--strict', 'exit with 2 where a line or a file of the extract could not be read')
    .option('--warnings', 'list all that is wrong with the extract, and not the first of each file alone');
}
program.hook('preAction', async (_, command) => {
  Object.assign(settings, command.opts());
  const { server } = program.opts<{ server?: string }>();
  if (!server) return;
  const extracts = command.registeredArguments.flatMap((a, n) => (/^dir2?$/.test(a.name()) ? [n] : []));
  if (!extracts.length) return;
  if (['find', 'cut', 'try', 'apps'].includes(command.name()))
    throw new CliError(
      'What a server gives has no contents, on which conditions rest. Ask the server: gl get holdings list=true where=…',
    );
  const { fetchExtract } = await import('./server.ts');
  for (const n of extracts)
    command.processedArgs[n] = await fetchExtract(String(command.processedArgs[n]), program.opts());
});

// a reader that has seen enough closes the pipe; that is no error
process.stdout.on('error', (e: NodeJS.ErrnoException) => {
  ended = true;
  process.exit(e.code === 'EPIPE' ? 0 : 2);
});
try {
  await program.parseAsync();
} catch (e) {
  if (e instanceof CommanderError) process.exitCode = e.exitCode === 0 ? 0 : 2;
  else if (e instanceof CliError) {
    complain(e.message);
    process.exitCode = 2;
  } else crash(e);
}
clear();
ended = true;

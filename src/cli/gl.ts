/**
 * gl: the same core without a browser. JSON Lines on stdout, messages on stderr.
 * Exit codes: 0 done; 1 the answer is no (a chain that does not hold); 2 the call or a file is wrong.
 */
import { Command, CommanderError } from 'commander';
import { diffCommand, reachCommand, whatCommand, whoCommand, whyCommand } from './access.ts';
import { classify, listTypes, testTypes } from './classify.ts';
import { copyExtract } from './copy.ts';
import { cut } from './cut.ts';
import { CliError } from './error.ts';
import { find } from './find.ts';
import { verifyEvidence } from './evidence.ts';
import { verifyLedger } from './ledger.ts';

const program = new Command('gl').description('Gate Lantern without a browser').exitOverride();
program.configureOutput({ writeOut: (text) => process.stderr.write(text) });

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
  .action(classify);
const types = program
  .command('types')
  .description('the data types: id, name, weight, country, source')
  .action(() => listTypes());
types
  .command('test')
  .description('run the cases of custom data types: what must match and what must not')
  .argument('<file>', 'custom data types as JSON')
  .action(testTypes);

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
  .action(reachCommand);
access('who', 'who can do what with an item')
  .argument('<item>')
  .option(...WITHOUT)
  .action(whoCommand);
access('what', 'what an identity can do, item by item')
  .argument('<identity>')
  .option(...WITHOUT)
  .action(whatCommand);
access('why', 'by which routes an identity reaches an item, and what keeps it from more')
  .argument('<identity>')
  .argument('<item>')
  .option(...WITHOUT)
  .option('--used <days>', 'mark each route used or only granted, by activity.jsonl of the last so many days')
  .action(whyCommand);
access('diff', 'what changed between two extracts, item by item')
  .argument('<dir2>')
  .option('--spaces', 'of spaces and not of items')
  .action(diffCommand);

access('find', 'spaces, folders and files that a condition holds of (docs/filters.md)')
  .argument('<condition>', 'in CEL, such as: weight >= 3 && could >= outside')
  .option('--min-certainty <n>', 'matches count from this certainty on, 0–100', '55')
  .action(find);

access('cut', 'the least change that meets a goal: who is to be kept out of what (docs/remedy.md)')
  .argument('<goal>', 'the goal as JSON')
  .option('--min-certainty <n>', 'matches count from this certainty on, 0–100', '55')
  .action(cut);

program
  .command('copy')
  .description('read an extract and write it as a directory of JSON Lines')
  .argument('<dir>', 'a bulk extract: a directory or a .zip of one')
  .argument('<to>', 'a new or empty directory')
  .action(copyExtract);

const ledger = program.command('ledger').description('the ledger, as exported');
ledger
  .command('verify')
  .description('follow the hash chain of an exported ledger')
  .argument('<file>')
  .action((file: string) => verifyLedger(file));

const evidence = program.command('evidence').description('plans as signed evidence');
evidence
  .command('verify')
  .description('check evidence by itself: its signature, its ledger entries, and what it says of each change')
  .argument('<file>')
  .option('--thumbprint <t>', 'the key that must have signed it, as the installation tells it (RFC 7638)')
  .action(verifyEvidence);

// a reader that has seen enough closes the pipe; that is no error
process.stdout.on('error', (e: NodeJS.ErrnoException) => process.exit(e.code === 'EPIPE' ? 0 : 2));
try {
  await program.parseAsync();
} catch (e) {
  if (e instanceof CommanderError) process.exitCode = e.exitCode === 0 ? 0 : 2;
  else if (e instanceof CliError) {
    process.stderr.write(`gl: ${e.message}\n`);
    process.exitCode = 2;
  } else throw e;
}

/** The examples in the docs are run, and say what the docs say. */
import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';

const examples = [
  ...readFileSync('docs/cli.md', 'utf8').matchAll(/```console\n\$ npm run -s gl -- (.*)\n([^]*?)```/g),
];

describe('docs/cli.md', () => {
  it('has examples of reach, who, what and why', () => {
    expect(new Set(examples.map((e) => e[1]!.split(' ')[0]))).toEqual(
      new Set(['reach', 'who', 'what', 'why']),
    );
  });
  it.each(examples.map((e) => [e[1]!, e[2]!]))('gl %s', (command, expected) => {
    const { stdout, status } = spawnSync(
      process.execPath,
      ['--import', 'tsx', 'src/cli/gl.ts', ...command.split(' ')],
      {
        encoding: 'utf8',
      },
    );
    expect(stdout).toBe(expected);
    expect(status).toBe(0);
  });
});

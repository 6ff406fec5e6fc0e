/** The examples in the docs are run, and say what the docs say. */
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';

const examples = [
  ...readFileSync('docs/cli.md', 'utf8').matchAll(/```console\n\$ npm run -s gl -- (.*)\n([^]*?)```/g),
];

describe('docs/cli.md', () => {
  it('has examples of reach, who, what, why, find and cut', () => {
    expect(new Set(examples.map((e) => e[1]!.split(' ')[0]))).toEqual(
      new Set(['reach', 'who', 'what', 'why', 'find', 'cut']),
    );
  });
  it.each(examples.map((e) => [e[1]!, e[2]!]))('gl %s', (command, expected) => {
    const { stdout, status } = spawnSync(process.execPath, ['dist/app/gl.mjs', ...command.split(' ')], {
      encoding: 'utf8',
    });
    expect(stdout).toBe(expected);
    expect(status).toBe(0);
  });
});

describe('docs/recognition.md', () => {
  it('shows a data type of one’s own whose cases come out', () => {
    const json = /```json\n([^]*?)```/.exec(readFileSync('docs/recognition.md', 'utf8'))![1]!;
    const file = join(mkdtempSync(join(tmpdir(), 'gl-docs-')), 'type.json');
    writeFileSync(file, json);
    const { stdout, status } = spawnSync(process.execPath, ['dist/app/gl.mjs', 'types', 'test', file], {
      encoding: 'utf8',
    });
    expect(JSON.parse(stdout)).toEqual({ id: 'berth-contract', cases: 2, failed: [] });
    expect(status).toBe(0);
    writeFileSync(file, json.replace('BC-20-NO', 'BC-2041-NO'));
    const failing = spawnSync(process.execPath, ['dist/app/gl.mjs', 'types', 'test', file]);
    expect(failing.status).toBe(1);
    writeFileSync(file, json.replace('[A-Z]{2}', '(?=x)'));
    const refused = spawnSync(process.execPath, ['dist/app/gl.mjs', 'types', 'test', file], {
      encoding: 'utf8',
    });
    expect([refused.status, refused.stderr]).toEqual([2, expect.stringContaining('looks ahead or behind')]);
  });
});

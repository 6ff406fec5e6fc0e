/** The examples in the docs are run, and say what the docs say. */
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { WRITTEN } from '../../scripts/docs.ts';

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

describe('what is written from declarations', () => {
  it.each(Object.entries(WRITTEN))('docs/%s is up to date (npm run docs)', (name, text) => {
    expect(readFileSync(`docs/${name}`, 'utf8')).toBe(text);
  });

  it('the example of a policy is one, and its cases come out', () => {
    const gl = (...args: string[]) => {
      const { stdout, status } = spawnSync(process.execPath, ['dist/app/gl.mjs', 'policy', ...args], {
        encoding: 'utf8',
      });
      return {
        said: stdout
          .trim()
          .split('\n')
          .map((l) => JSON.parse(l) as unknown),
        status,
      };
    };
    const file = 'docs/examples/policies/outside.json';
    expect(gl('check', file)).toEqual({
      said: [{ name: 'Identity numbers stay inside', rules: 1 }],
      status: 0,
    });
    expect(gl('test', file)).toEqual({ said: [{ cases: 3, failed: 0 }], status: 0 });
    const failing = join(mkdtempSync(join(tmpdir(), 'gl-docs-')), 'policy.json');
    writeFileSync(failing, readFileSync(file, 'utf8').replace('"distinct\\": 2', '"distinct\\": 3'));
    const { said, status } = gl('test', failing);
    expect([said.length, said.at(-1), status]).toEqual([2, { cases: 3, failed: 1 }, 1]);
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

/** Writes the demo's world as an extract directory: what is said in real files of their kinds, under files/. */
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { realFile } from './real-files.ts';
import type { World } from './world.ts';

export function writeWorld(world: World, directory: string): void {
  mkdirSync(directory, { recursive: true });
  writeFileSync(join(directory, 'manifest.json'), JSON.stringify(world.manifest, null, 2) + '\n');
  writeFileSync(
    join(directory, 'accounts.jsonl'),
    world.accounts.map((row) => JSON.stringify(row) + '\n').join(''),
  );
  writeFileSync(join(directory, 'later.json'), JSON.stringify(world.later));
  mkdirSync(join(directory, 'files'), { recursive: true });
  const names = new Map(world.items.map((i) => [i.id, i.name]));
  for (const { item, text } of world.content)
    writeFileSync(join(directory, 'files', item), realFile(names.get(item)!, text) ?? text);
  for (const name of ['users', 'groups', 'spaces', 'items', 'grants', 'links', 'activity'] as const)
    writeFileSync(
      join(directory, `${name}.jsonl`),
      world[name].map((row) => JSON.stringify(row) + '\n').join(''),
    );
}

/** The demo's sources, as the stand-ins at an address serve them. */
export const demoSources = (standins: string, token: string) => [
  {
    id: 'directory',
    kind: 'directory',
    name: 'Tarn & Tide directory',
    url: `${standins}/scim/v2`,
    token,
  },
  ...(['drives', 'sites', 'channels'] as const).map((kind) => ({
    id: kind,
    kind,
    name: `Tarn & Tide ${kind[0]!.toUpperCase()}${kind.slice(1)}`,
    url: `${standins}/${kind}/v1`,
    token,
  })),
];

/** Writes the demo's world as an extract directory. */
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { World } from './world.ts';

export function writeWorld(world: World, directory: string): void {
  mkdirSync(directory, { recursive: true });
  writeFileSync(join(directory, 'manifest.json'), JSON.stringify(world.manifest, null, 2) + '\n');
  for (const name of ['users', 'groups', 'spaces', 'items', 'grants', 'links', 'content'] as const)
    writeFileSync(
      join(directory, `${name}.jsonl`),
      world[name].map((row) => JSON.stringify(row) + '\n').join(''),
    );
}

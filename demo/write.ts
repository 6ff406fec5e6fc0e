/** Writes the demo's world as an extract directory: what is said in real files of their kinds, under files/. */
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { moved } from './past.ts';
import { realFile } from './real-files.ts';
import type { World } from './builder.ts';

/** `days`: by how many its dates are moved, so that the demo is of today. */
export function writeWorld(world: World, directory: string, days = 0): void {
  const text = (value: unknown, space?: number): string => moved(JSON.stringify(value, null, space), days);
  mkdirSync(directory, { recursive: true });
  writeFileSync(join(directory, 'manifest.json'), text(world.manifest, 2) + '\n');
  writeFileSync(join(directory, 'accounts.jsonl'), world.accounts.map((row) => text(row) + '\n').join(''));
  writeFileSync(join(directory, 'later.json'), text(world.later));
  mkdirSync(join(directory, 'files'), { recursive: true });
  const names = new Map(world.items.map((i) => [i.id, i.name]));
  for (const { item, text } of world.content)
    writeFileSync(join(directory, 'files', item), realFile(names.get(item)!, text) ?? text);
  for (const name of [
    'users',
    'groups',
    'spaces',
    'items',
    'grants',
    'links',
    'apps',
    'app-grants',
    'activity',
  ] as const)
    writeFileSync(join(directory, `${name}.jsonl`), world[name].map((row) => text(row) + '\n').join(''));
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

/** How the ferry line’s people sign in: leads of IT are stewards, those of Safety auditors, everybody else an owner. */
export const demoSso = (issuer: string, secret: string) => ({
  settings: {
    name: 'Tarn & Tide',
    issuer,
    clientId: 'gate-lantern',
    claim: 'groups',
    roles: [
      { value: 'IT leads', role: 'steward' },
      { value: 'Safety leads', role: 'auditor' },
    ],
    otherwise: 'owner',
    makes: true,
    passwords: true,
    emergency: null,
  },
  secret,
});

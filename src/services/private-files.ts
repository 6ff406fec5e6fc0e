/** Files that hold the map of everything sensitive are for the user that runs the application, and nobody else. */
import { chmodSync, lstatSync, mkdirSync, readdirSync } from 'node:fs';
import { join } from 'node:path';

const OTHERS = 0o077;

/** Makes a directory, or takes from one that is there, and from all that is in it, what others may do with it. */
export function privateDirectory(directory: string): void {
  mkdirSync(directory, { recursive: true, mode: 0o700 });
  const paths = [directory];
  for (let path; (path = paths.pop()) !== undefined;) {
    const stat = lstatSync(path, { throwIfNoEntry: false });
    if (!stat || stat.isSymbolicLink()) continue;
    if (stat.mode & OTHERS) chmodSync(path, stat.mode & 0o777 & ~OTHERS);
    if (stat.isDirectory()) for (const name of readdirSync(path)) paths.push(join(path, name));
  }
}

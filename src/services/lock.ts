import { closeSync, existsSync, openSync, readFileSync, rmSync, writeSync } from 'node:fs';
import { join } from 'node:path';

/** Two processes on one data directory would spoil it: the second is refused. */
export function lock(directory: string): () => void {
  const file = join(directory, 'in-use');
  for (;;) {
    try {
      const fd = openSync(file, 'wx');
      writeSync(fd, String(process.pid));
      closeSync(fd);
      return () => rmSync(file, { force: true });
    } catch {
      const pid = existsSync(file) ? Number(readFileSync(file, 'utf8')) : 0;
      let alive = false;
      try {
        alive = pid > 0 && process.kill(pid, 0);
      } catch {
        // no such process: the one that held the directory ended without letting go
      }
      if (alive && pid !== process.pid)
        throw new Error(
          `Another Gate Lantern (process ${pid}) is using ${directory}. Stop it first, or set GATE_LANTERN_DATA to another directory.`,
        );
      rmSync(file, { force: true });
    }
  }
}

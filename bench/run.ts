/**
 * npm run bench -- access [scale], apps [scale], events [scale], exposure [scale], policies [scale], remedy [scale], review [scale], screens [scale], surveys [scale] or recognise [megabytes]: what is
 * measured, where scale 1 is a million items. `compare` measures everything at a small size and says what became more
 * than a third worse than what is kept; `keep` keeps it.
 */
import { access } from './access.ts';
import { apps } from './apps.ts';
import { drawings } from './drawing.ts';
import { events } from './events.ts';
import { exposure } from './exposure.ts';
import { present } from './present.ts';
import { policies } from './policies.ts';
import { keep, verdicts } from './ratios.ts';
import { recognise } from './recognise.ts';
import { remedy } from './remedy.ts';
import { review } from './review.ts';
import { screens } from './screens.ts';
import { surveys } from './surveys.ts';
import { table } from './table.ts';

/** Each bench, and the size at which it is compared. */
const BENCHES: Record<string, { run: (size: number) => unknown; size: number; compared?: number }> = {
  access: { run: access, size: 1, compared: 0.05 },
  apps: { run: apps, size: 1, compared: 0.3 },
  exposure: { run: exposure, size: 1, compared: 0.1 },
  remedy: { run: remedy, size: 1, compared: 0.1 },
  policies: { run: policies, size: 1, compared: 0.05 },
  events: { run: events, size: 1, compared: 0.1 },
  review: { run: review, size: 1, compared: 0.02 },
  recognise: { run: recognise, size: 200, compared: 5 },
  present: { run: present, size: 0.1, compared: 0.02 },
  table: { run: table, size: 0, compared: 0 },
  drawing: { run: drawings, size: 0, compared: 0 },
  screens: { run: screens, size: 0 },
  surveys: { run: surveys, size: 1, compared: 0.02 },
};
/** Each is measured so often, and the best counts: a busy machine makes everything slower for a while. */
const TURNS = 2;

const [name = '', size] = process.argv.slice(2);
if (name === 'compare' || name === 'keep') {
  for (let turn = 0; turn < TURNS; turn++)
    for (const { run, compared } of Object.values(BENCHES)) if (compared !== undefined) await run(compared);
  if (name === 'keep') keep();
  else {
    const { compared, missing } = verdicts();
    for (const v of compared)
      process.stdout.write(
        `${v.worse ? 'WORSE ' : '      '}${v.what}: ${v.now.toPrecision(3)}, kept ${v.kept.toPrecision(3)} (${(v.now / v.kept).toFixed(2)} times)\n`,
      );
    for (const m of missing) process.stdout.write(`not measured: ${m}\n`);
    const worse = compared.filter((v) => v.worse);
    process.stdout.write(
      worse.length
        ? `${worse.length} became more than a third worse.\n`
        : 'Nothing became more than a third worse.\n',
    );
    process.exitCode = worse.length || missing.length ? 1 : 0;
  }
} else if (BENCHES[name]) await BENCHES[name].run(Number(size ?? BENCHES[name].size));
else {
  process.stderr.write(
    `npm run bench -- compare, keep, or one of ${Object.keys(BENCHES).join(', ')} [size]\n`,
  );
  process.exit(2);
}

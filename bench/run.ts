/** npm run bench -- access [scale] exposure [scale], remedy [scale], screens [scale] or recognise [megabytes]; scale 1 is a million items. */
import { access } from './access.ts';
import { exposure } from './exposure.ts';
import { recognise } from './recognise.ts';
import { remedy } from './remedy.ts';
import { screens } from './screens.ts';

const [name, size] = process.argv.slice(2);
if (name === 'access') await access(Number(size ?? 1));
else if (name === 'exposure') await exposure(Number(size ?? 1));
else if (name === 'screens') await screens(Number(size ?? 0));
else if (name === 'remedy') remedy(Number(size ?? 1));
else if (name === 'recognise') recognise(Number(size ?? 200));
else {
  process.stderr.write(
    'npm run bench -- access [scale], exposure [scale], remedy [scale] or screens [scale], where scale 1 is a million items, or recognise [megabytes]\n',
  );
  process.exit(2);
}

/** npm run bench -- access [scale]: scale 1 is a million items. */
import { access } from './access.ts';

const [name, scale = '1'] = process.argv.slice(2);
if (name === 'access') await access(Number(scale));
else {
  process.stderr.write('npm run bench -- access [scale], where scale 1 is a million items\n');
  process.exit(2);
}

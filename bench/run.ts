/** npm run bench -- access [scale] or recognise [megabytes]; scale 1 is a million items. */
import { access } from './access.ts';
import { recognise } from './recognise.ts';

const [name, size] = process.argv.slice(2);
if (name === 'access') await access(Number(size ?? 1));
else if (name === 'recognise') recognise(Number(size ?? 200));
else {
  process.stderr.write(
    'npm run bench -- access [scale], where scale 1 is a million items, or recognise [megabytes]\n',
  );
  process.exit(2);
}

/** The text in pictures, by tesseract.js with the English letters and words that are shipped with it. */
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { createWorker, type Worker } from 'tesseract.js';

let worker: Promise<Worker> | undefined;

/** What stands in one picture (PNG, JPEG, GIF, TIFF). Throws where it is none that can be read. */
export async function ocr(picture: Uint8Array): Promise<string> {
  const data = dirname(createRequire(import.meta.url).resolve('@tesseract.js-data/eng/package.json'));
  worker ??= createWorker('eng', 1, {
    langPath: join(data, '4.0.0_best_int'),
    cacheMethod: 'none',
    gzip: true,
    // it throws in its own thread else
    errorHandler: () => undefined,
  });
  const { data: read } = await (await worker).recognize(Buffer.from(picture));
  return read.text;
}

// The first file of every thread: loads the file it was started for, and where that is TypeScript lets it load more.
import { workerData } from 'node:worker_threads';

if (/\.m?ts$/.test(workerData.file)) (await import('tsx/esm/api')).register();
await import(workerData.file);

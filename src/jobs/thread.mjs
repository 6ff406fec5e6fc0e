// The first file of every thread: lets it load TypeScript, then loads the file it was started for.
import { workerData } from 'node:worker_threads';
import { register } from 'tsx/esm/api';

register();
await import(workerData.file);

import { workerData, type MessagePort } from 'node:worker_threads';
import { serve } from './rpc.ts';
const functions = {
  double: (n: number) => n * 2,
  fail: (): void => {
    throw Object.assign(new TypeError('no'), { code: 'x' });
  },
};
export type Functions = typeof functions;
serve((workerData as { port: MessagePort }).port, functions);

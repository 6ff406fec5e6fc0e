/** Distinct values are told apart by a keyed hash; the key is the installation's, base64. */
import { createHmac } from 'node:crypto';

export const valueHash =
  (key: string) =>
  (type: string, value: string): string =>
    createHmac('sha256', key).update(`${type}\0${value}`).digest('base64url').slice(0, 22);

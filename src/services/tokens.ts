/** Tokens that are told once, and kept as their hash alone. */
import { createHash, randomBytes } from 'node:crypto';

export const newToken = (): string => randomBytes(32).toString('base64url');
export const sha256 = (text: string): string => createHash('sha256').update(text).digest('hex');

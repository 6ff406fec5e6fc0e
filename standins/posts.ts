/** Messages that programs put into channels: each once for a key, and kept. */
import { appendFileSync, existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { happen } from './happenings.ts';
import { args } from './world.ts';

interface Post {
  channel: string;
  text: string;
  key: string;
  at: string;
}
const file = join(args.state!, 'posts.jsonl');
export const posts: Post[] = existsSync(file)
  ? readFileSync(file, 'utf8')
      .split('\n')
      .filter(Boolean)
      .flatMap((line): Post[] => {
        try {
          return [JSON.parse(line) as Post];
        } catch {
          // a line that a crash cut short was never answered
          return [];
        }
      })
  : [];
const keys = new Set(posts.map((p) => p.key));

/** Puts a message into a channel; false where one of the key is there. */
export function post(channel: string, text: string, key: string): boolean {
  if (keys.has(key)) return false;
  const one: Post = { channel, text, key, at: new Date().toISOString() };
  appendFileSync(file, JSON.stringify(one) + '\n');
  keys.add(key);
  posts.push(one);
  happen('channels', 'message.posted', undefined, { space: channel });
  return true;
}

import { expect, it } from 'vitest';
import { Events } from './events.ts';

it('streams end with the session that holds them, and one session holds few', () => {
  const events = new Events();
  const ended: string[] = [];
  const open = (token: string, name: string) => events.attach(token, () => ended.push(name));
  const detach = open('a', 'a0')!;
  for (let n = 1; n < 12; n++) expect(open('a', `a${n}`)).toBeDefined();
  expect(open('a', 'one too many')).toBeUndefined();
  expect(open('b', 'b')).toBeDefined();
  detach();
  expect(open('a', 'again')).toBeDefined();
  events.endOf('a');
  expect(ended.sort()).toEqual([...Array.from({ length: 11 }, (_, n) => `a${n + 1}`), 'again'].sort());
  expect(ended).not.toContain('b');
  events.endOf('nobody');
  events.endAll();
  expect(ended).toContain('b');
});

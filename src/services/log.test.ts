import { describe, expect, it } from 'vitest';
import { mayMeasure } from './metrics.ts';
import { makeLog } from './log.ts';

const written = (level: string, write: (log: ReturnType<typeof makeLog>) => void): string => {
  let text = '';
  write(makeLog(level, { write: (line: string) => void (text += line) }));
  return text;
};

describe('the log', () => {
  it('is JSON Lines with a time and a level, and what is below its level is not in it', () => {
    const text = written('warn', (log) => {
      log.info('not said');
      log.warn({ job: 'survey' }, 'said');
    });
    expect(text.split('\n').filter(Boolean)).toHaveLength(1);
    expect(JSON.parse(text)).toMatchObject({
      level: 'warn',
      job: 'survey',
      msg: 'said',
      time: expect.any(String) as string,
    });
  });

  it('has nothing in it that opens something, wherever that is put', () => {
    const planted = 'planted-9f3c';
    const text = written('debug', (log) => {
      for (const name of [
        'password',
        'token',
        'secret',
        'code',
        'cookie',
        'authorization',
        'seed',
        'body',
        'query',
      ])
        log.info({ [name]: planted, a: { [name]: planted, b: { [name]: planted } } }, 'x');
    });
    expect(text).not.toContain(planted);
  });

  it('says of an error what kind it is and where, not what it was about', () => {
    const error = Object.assign(
      new Error(
        'duplicate key value violates unique constraint "account_address_key" for “ada@tarntide.example”',
      ),
      { code: '23505', detail: 'Key (address)=(ada@tarntide.example) already exists.' },
    );
    const text = written('info', (log) => log.error({ err: error }, 'it failed'));
    expect(text).not.toContain('ada@');
    expect(text).not.toContain('already exists');
    expect(JSON.parse(text)).toMatchObject({ err: { type: 'Error', errorCode: '23505' } });
    expect((JSON.parse(text) as { err: { stack: string } }).err.stack).toContain('log.test.ts');
    const iban = written('info', (log) =>
      log.error({ err: new Error('cannot read IBAN GB82 WEST 1234 5698 7654 32') }),
    );
    expect(iban).not.toContain('5698');
    expect(written('info', (log) => log.error({ err: 'a thrown text with planted-9f3c' }))).not.toContain(
      'planted',
    );
  });
});

describe('the numbers', () => {
  it('are read with the token alone, and by nobody where there is none', () => {
    const env = { GATE_LANTERN_METRICS_TOKEN: 'm' };
    expect(mayMeasure('Bearer m', env)).toBe(true);
    for (const wrong of [undefined, '', 'm', 'Bearer', 'Bearer x', 'Bearer m '])
      expect(mayMeasure(wrong, env)).toBe(false);
    for (const none of [{}, { GATE_LANTERN_METRICS_TOKEN: '' }])
      for (const any of ['Bearer ', 'Bearer undefined', '']) expect(mayMeasure(any, none)).toBe(false);
  });
});

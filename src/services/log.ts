/**
 * The server's log: JSON Lines on stderr. What is written is named here; what people type, what files hold and what
 * opens something is none of it. GATE_LANTERN_LOG: debug, info, warn (the default), error or silent.
 */
import { pino, stdSerializers, type DestinationStream, type Logger } from 'pino';
import { maskedText } from '../core/recognise/masked-name.ts';

/** Fields that are never written, wherever somebody puts them. */
const NEVER = [
  'password',
  'token',
  'secret',
  'code',
  'cookie',
  'authorization',
  'seed',
  'key',
  'body',
  'query',
  'search',
];

/** An error without what it was about: a database names values in its details. */
function plainError(error: unknown): object {
  if (!(error instanceof Error)) return { message: 'no error was thrown, but something else' };
  const { type, message, stack = '' } = stdSerializers.err(error);
  const { code } = error as { code?: unknown };
  return {
    type,
    ...(typeof code === 'string' && { errorCode: code }),
    // names and values stand in quotation marks
    message: maskedText(message.split('\n')[0]!.slice(0, 300)).replace(/(["“'«`]).*?(["”'»`])/g, '$1…$2'),
    stack: stack
      .split('\n')
      .filter((line) => /^\s+at /.test(line))
      .slice(0, 12)
      .join('\n'),
  };
}

/** A log of its own, for tests; the application has one. */
export const makeLog = (level: string, to: DestinationStream | number = 2): Logger =>
  pino(
    {
      level,
      base: null,
      timestamp: () => `,"time":"${new Date().toISOString()}"`,
      formatters: { level: (label) => ({ level: label }) },
      serializers: { err: plainError },
      hooks: {
        // of an error without words of ours its own would be written as they are
        logMethod(given, method) {
          method.apply(this, given.length === 1 ? [given[0], 'an error'] : given);
        },
      },
      redact: { paths: NEVER.flatMap((f) => [f, `*.${f}`, `*.*.${f}`]), censor: '…' },
    },
    typeof to === 'number' ? pino.destination({ dest: to, sync: true }) : to,
  );

const LEVELS = ['debug', 'info', 'warn', 'error', 'silent'];
const wanted = process.env.GATE_LANTERN_LOG ?? 'warn';
export const log = makeLog(LEVELS.includes(wanted) ? wanted : 'warn');

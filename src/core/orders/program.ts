/** Orders as programs: steps with numbers that never change within a version, and where each leads. */
import { TZDate } from '@date-fns/tz';
import { nextOf } from '../guard/rhythm.ts';
import { durationMs } from '../guard/patterns.ts';
import type { Step } from './schema.ts';

/** A step, where the next is, and how deep it lies in branches. Past the last number a run is at its end. */
export interface Instruction {
  step: Step;
  depth: number;
  next: number;
  /** Of a branch: where it goes on if what it asks is so, and if it is not. */
  yes?: number;
  no?: number;
}

export function programOf(steps: readonly Step[]): Instruction[] {
  const program: Instruction[] = [];
  const ends: { at: Instruction; key: 'next' | 'yes' | 'no' }[] = [];
  const lay = (list: readonly Step[], depth: number): { at: Instruction; key: 'next' | 'yes' | 'no' }[] => {
    let open: { at: Instruction; key: 'next' | 'yes' | 'no' }[] = [];
    for (const step of list) {
      const n = program.length;
      for (const { at, key } of open) at[key] = n;
      const one: Instruction = { step, depth, next: n + 1 };
      program.push(one);
      if (step.do === 'stop') open = [];
      else if (step.do !== 'branch') open = [{ at: one, key: 'next' }];
      else {
        open = [];
        for (const [key, side] of [
          ['yes', step.then],
          ['no', step.else],
        ] as const) {
          if (!side.length) {
            open.push({ at: one, key });
            continue;
          }
          one[key] = program.length;
          open.push(...lay(side, depth + 1));
        }
      }
    }
    return open;
  };
  ends.push(...lay(steps, 0));
  const end = program.length;
  for (const { at, key } of ends) at[key] = end;
  for (const one of program) if (one.step.do === 'stop') one.next = end;
  return program;
}

const DAY = 86_400_000;

/**
 * So long after a moment, by the clock of a time zone: days and weeks keep the time of day, hours and less are exact, as
 * Temporal has it; a time that a change of the clock leaves out comes as much later, one that comes twice is the first.
 */
export function laterBy(from: Date, duration: string, zone: string): Date {
  const ms = durationMs(duration)!;
  const days = Math.floor(wholeDays(duration));
  const rest = ms - days * DAY;
  if (!days) return new Date(from.getTime() + rest);
  const at = new TZDate(from.getTime(), zone);
  const moved = new TZDate(
    at.getFullYear(),
    at.getMonth(),
    at.getDate() + days,
    at.getHours(),
    at.getMinutes(),
    at.getSeconds(),
    at.getMilliseconds(),
    zone,
  );
  return new Date(earlierOfTwo(moved, zone) + rest);
}

/** The days of a duration that are written as days and weeks. */
const wholeDays = (duration: string): number =>
  Number(/(\d+)W/.exec(duration)?.[1] ?? 0) * 7 + Number(/(\d+)D/.exec(duration)?.[1] ?? 0);

/** By so much clocks are put back, in milliseconds. */
const PUT_BACK = [3_600_000, 1_800_000];
function earlierOfTwo(shown: TZDate, zone: string): number {
  const at = shown.getTime();
  const before = PUT_BACK.map((ms) => new TZDate(at - ms, zone)).find(
    (d) => d.getHours() === shown.getHours() && d.getMinutes() === shown.getMinutes(),
  );
  return before?.getTime() ?? at;
}

const WEEKDAYS = ['MO', 'TU', 'WE', 'TH', 'FR', 'SA', 'SU'];
/** When a wait that begins at a moment is over. */
export function waitsUntil(step: Extract<Step, { do: 'wait' }>, from: Date, zone: string): Date {
  if (step.for !== undefined) return laterBy(from, step.for, zone);
  const { weekday, hour } = step.until!;
  const rhythm = weekday
    ? `FREQ=WEEKLY;BYDAY=${WEEKDAYS[weekday - 1]!};BYHOUR=${hour};BYMINUTE=0`
    : `FREQ=DAILY;BYHOUR=${hour};BYMINUTE=0`;
  return nextOf(rhythm, from, zone)!;
}

/** Orders as programs: steps with numbers that never change within a version, and where each leads. */
import { TZDate } from '@date-fns/tz';
import { firstShown, nextOf } from '../guard/rhythm.ts';
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

/** A way out of an instruction that does not lead anywhere yet. */
interface Open {
  at: Instruction;
  key: 'next' | 'yes' | 'no';
}

export function programOf(steps: readonly Step[]): Instruction[] {
  const program: Instruction[] = [];
  const lead = (open: readonly Open[]): void => {
    for (const { at, key } of open) at[key] = program.length;
  };
  /** Lays steps after what is there, and gives the ways that go on after them. */
  const lay = (list: readonly Step[], depth: number): Open[] => {
    let open: Open[] = [];
    for (const step of list) {
      lead(open);
      const one: Instruction = { step, depth, next: program.length + 1 };
      program.push(one);
      open = [];
      if (step.do === 'branch')
        for (const [key, side] of [
          ['yes', step.then],
          ['no', step.else],
        ] as const) {
          one[key] = program.length;
          open.push(...(side.length ? lay(side, depth + 1) : [{ at: one, key }]));
        }
      else if (!ends(step)) open.push({ at: one, key: 'next' });
    }
    return open;
  };
  lead(lay(steps, 0));
  for (const one of program) if (ends(one.step)) one.next = program.length;
  return program;
}

/** Whether a run ends with a step. */
const ends = (step: Step): boolean => step.do === 'stop' || step.do === 'accept';

const DAY = 86_400_000;

/**
 * So long after a moment, by the clock of a time zone: days and weeks keep the time of day, hours and less are exact, as
 * Temporal has it; a time that a change of the clock leaves out comes as much later, one that comes twice is the first.
 */
export function laterBy(from: Date, duration: string, zone: string): Date {
  const days = wholeDays(duration);
  const rest = durationMs(duration)! - days * DAY;
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
  return new Date(firstShown(moved, zone).getTime() + rest);
}

/** The days of a duration that are written as days and weeks. */
const wholeDays = (duration: string): number =>
  Number(/(\d+)W/.exec(duration)?.[1] ?? 0) * 7 + Number(/(\d+)D/.exec(duration)?.[1] ?? 0);

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

import type { SignalRow } from '../../../../dto/events.ts';

/** How much a signal matters: heavier where it does more. */
export const Severity = ({ of }: { of: SignalRow['severity'] }) => (
  <span className={of === 'high' || of === 'critical' ? 'font-bold' : 'text-quiet'}>
    {of[0]!.toUpperCase()}
    {of.slice(1)}
  </span>
);

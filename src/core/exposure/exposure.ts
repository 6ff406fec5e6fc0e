/** Weight, allowance and exposure points. The formula and its reasons: docs/exposure.md. */
import { TIERS, type Tier, CAP } from '../model.ts';
import { PRESETS } from '../recognise/threshold.ts';
import { atLeast, type Level } from '../recognise/types.ts';

/** The weight that a label brings by itself; names are compared without case. */
export const LABEL_WEIGHT: Readonly<Record<string, number>> = {
  public: 0,
  internal: 1,
  confidential: 3,
  restricted: 4,
};

/** Matches below this certainty do not weigh, where no other is set (docs/recognition.md). */
export const WEIGHING_CERTAINTY = PRESETS.balanced;
/** From this many distinct values on, a data type weighs one more. */
export const MANY_VALUES = 100;

/** Weights from here on are heavy: what must not be widely reached. */
export const HEAVY = 2;

/** The widest tier that a weight allows, by weight 0–4. */
export const ALLOWED: readonly Tier[] = ['public', 'partner', 'organisation', 'wide', 'team'];
/** Points for each tier beyond what is allowed, by weight. */
export const POINTS_PER_TIER = [0, 2, 5, 15, 40] as const;

export interface Weighing {
  weight: number;
  /** What made it so, the heaviest first. */
  reasons: { why: string; weight: number }[];
}

/** The high-water mark over data types, their quantity and the label (FIPS 199; NIST SP 800-122 §3.2). */
export function weigh(
  found: readonly { name: string; weight: number; levels: readonly Level[]; from?: number }[],
  label?: string,
): Weighing {
  const reasons = found
    .map((f) => ({ ...f, distinct: atLeast(f.levels, f.from ?? WEIGHING_CERTAINTY).distinct }))
    .filter((f) => f.distinct > 0)
    .map((f) => {
      const many = f.distinct >= MANY_VALUES;
      return {
        why: `${f.name}: ${f.distinct} distinct ${f.distinct === 1 ? 'value' : 'values'}${many ? `, ${MANY_VALUES} or more` : ''}`,
        weight: Math.min(4, f.weight + (many ? 1 : 0)),
      };
    });
  const labelled = label === undefined ? undefined : LABEL_WEIGHT[label.toLowerCase()];
  if (labelled) reasons.push({ why: `labelled ${label}`, weight: labelled });
  reasons.sort((a, b) => b.weight - a.weight);
  return { weight: reasons[0]?.weight ?? 0, reasons };
}

export const SEVERITIES = ['low', 'medium', 'high', 'critical'] as const;
export type Severity = (typeof SEVERITIES)[number];
const SEVERITY_FROM = { medium: 20, high: 60, critical: 120 };

export const severityOf = (points: number): Severity =>
  points >= SEVERITY_FROM.critical
    ? 'critical'
    : points >= SEVERITY_FROM.high
      ? 'high'
      : points >= SEVERITY_FROM.medium
        ? 'medium'
        : 'low';

export interface ExposureSum {
  points: number;
  severity: Severity;
  /** The points, line by line; they add up to `points`. */
  lines: { why: string; points: number }[];
}

export interface ExposureInput {
  weight: number;
  /** Tier numbers. */
  now: number;
  could: number;
  /** Capability bits of what makes the reach too wide. */
  bits: number;
  /** When the earliest of it was made, and the moment of judgement; milliseconds. */
  since?: number;
  moment: number;
}

const DAY = 86_400_000;

/** Exposure points of an item, or undefined where its reach is within what its weight allows. */
export function exposurePoints(input: ExposureInput): ExposureSum | undefined {
  const allowed = TIERS.indexOf(ALLOWED[input.weight]!);
  const beyondNow = Math.max(0, input.now - allowed);
  const beyondCould = Math.max(0, input.could - allowed) - beyondNow;
  if (beyondNow + beyondCould <= 0) return undefined;
  const per = POINTS_PER_TIER[input.weight]!;
  const lines: ExposureSum['lines'] = [];
  const tiers = (n: number) => `${n} ${n === 1 ? 'tier' : 'tiers'}`;
  if (beyondNow)
    lines.push({
      why: `Now ${TIERS[input.now]}: ${tiers(beyondNow)} beyond ${ALLOWED[input.weight]} × ${per} for weight ${input.weight}`,
      points: beyondNow * per,
    });
  if (beyondCould > 0)
    lines.push({
      why: `Could be ${TIERS[input.could]}: ${tiers(beyondCould)} more, counted half`,
      points: Math.round((beyondCould * per) / 2),
    });
  const base = lines.reduce((sum, l) => sum + l.points, 0);
  const extra = (why: string, share: number) => {
    if (share > 0)
      lines.push({ why: `${why}: + ${Math.round(share * 100)} %`, points: Math.round(base * share) });
  };
  if (input.bits & (CAP.share | CAP.manage | CAP.delete)) extra('They can share it on or manage it', 0.5);
  else if (input.bits & CAP.edit) extra('They can edit it', 0.25);
  if (input.since !== undefined && !Number.isNaN(input.since)) {
    const days = Math.floor((input.moment - input.since) / DAY);
    extra(`It has stood for ${days} days`, Math.min(4, Math.floor(days / 91)) / 10);
  }
  const points = lines.reduce((sum, l) => sum + l.points, 0);
  return { points, severity: severityOf(points), lines };
}

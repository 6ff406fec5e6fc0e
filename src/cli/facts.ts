/** An extract with what its files hold and weigh, as conditions ask for it. */
import { lastDeeds, resolveDeeds, usageOf } from '../core/access/usage.ts';
import { createHash } from 'node:crypto';
import { itemsBelow } from '../core/access/organisation.ts';
import { weigh } from '../core/exposure/exposure.ts';
import { reach, type Tally } from '../core/access/reach.ts';
import { findExposures } from '../core/exposure/find.ts';
import { emptyTally } from '../core/exposure/tally.ts';
import { holdsIn, type HoldingTypes } from '../core/filter/holds.ts';
import { grantsOfApps, judgeApps, readersInSpaces } from '../core/apps/judged.ts';
import type { ScopeFacts } from '../core/guard/judge.ts';
import { subjectGetters, type SubjectGetters } from '../core/guard/subjects.ts';
import type { GrantRow, ItemRow, LinkRow } from '../core/model.ts';
import { PACKS } from '../core/recognise/packs.ts';
import { Scanner } from '../core/recognise/scan.ts';
import { atLeast, type Found } from '../core/recognise/types.ts';
import { DATA_TYPES, dataType } from '../core/recognise/types/index.ts';
import { ExtractContent } from '../formats/extract-content.ts';
import { lazily } from '../core/once.ts';
import { momentOf } from '../core/time.ts';
import { CliError } from './messages.ts';
import { openJudged, spacesIn, type Judged } from './organisation.ts';

export interface FactsOptions {
  asOf?: string;
  minCertainty: string;
}

interface Facts extends Judged, Pick<ScopeFacts, 'appList' | 'letIn'> {
  getters: SubjectGetters;
  label(item: number): string | undefined;
}

/** Reads an extract with what conditions ask of it; what its files hold is scanned. */
export async function openFacts(dir: string, options: FactsOptions): Promise<Facts> {
  const from = certaintyOf(options);
  const types = holdingTypes(from);
  const rows = new Map<string, ItemRow>();
  const entries: (GrantRow | LinkRow)[] = [];
  const content = new ExtractContent(
    () =>
      new Scanner({
        types: DATA_TYPES,
        keep: 0,
        hash: (type, value) => createHash('sha256').update(`${type}\0${value}`).digest('base64'),
      }),
  );
  const judged = await openJudged(dir, options, {
    activity: true,
    content,
    item: (item) => void rows.set(item.id, item),
    entry: (entry) => void entries.push(entry),
  });
  const { org, view: v, columns } = judged;
  const found = new Map<string, Found[]>();
  for (const c of content.finish()) if (c.found.length) found.set(c.item, c.found);
  const S = org.spaces.length;
  const row = (i: number) => rows.get(org.itemIds.at(i))!;
  const counting = (i: number) =>
    (found.get(org.itemIds.at(i)) ?? []).flatMap((f) => {
      const type = dataType(f.dataType);
      return type && atLeast(f.levels, from).distinct ? { ...type, levels: f.levels, from } : [];
    });
  const weights = Uint8Array.from(
    { length: org.itemIds.length },
    (_, i) => weigh(counting(i), row(i).label).weight,
  );
  const below = (n: number, put: (i: number) => void): void => {
    const [a, b] = itemsBelow(org, n);
    for (let i = a; i < b; i++) put(i);
  };
  const most = (n: number, of: (i: number) => number): number => {
    let max = 0;
    below(n, (i) => (max = Math.max(max, of(i))));
    return max;
  };
  const isFile = Uint8Array.from({ length: org.itemIds.length }, (_, i) => (row(i).kind === 'file' ? 1 : 0));
  const usage = lazily(() => usageOf(org, resolveDeeds(v, judged.activity)));
  let tally: Tally | undefined;
  const entry = (e: number): GrantRow | LinkRow => entries[org.entries.row[e]!]!;
  const apps = lazily(() => {
    const { reads, list } = judgeApps(v, {
      apps: judged.apps,
      grants: judged.appGrants,
      items: { isFile, weights },
    });
    return {
      reads,
      list,
      letIn: grantsOfApps(v, list),
      inSpace: readersInSpaces(reads, { isFile, weights }),
    };
  });
  const appList = () => apps().list;
  const letIn = () => apps().letIn;
  const getters = subjectGetters({
    view: v,
    columns,
    items: {
      name: (i) => row(i).name,
      label: (i) => row(i).label,
      mime: (i) => row(i).mime,
      isFile,
    },
    weight: (n) => (n < S ? most(n, (i) => weights[i]!) : weights[n - S]!),
    exposures: findExposures(v, columns, weights),
    types: (i) => counting(i).map((t) => t.name),
    modified: (n) =>
      n < S
        ? most(n, (i) => Date.parse(row(i).modifiedAt ?? '') || 0) || NaN
        : Date.parse(row(n - S).modifiedAt ?? ''),
    sizeBytes: (n) => {
      let sum = 0;
      below(n, (i) => (sum += row(i).bytes ?? 0));
      return sum;
    },
    holds: (i, asked) => holdsIn(found.get(org.itemIds.at(i)) ?? [], asked, types),
    tally: () => {
      if (!tally) {
        tally = emptyTally(v, isFile, weights);
        reach(v, undefined, undefined, tally);
      }
      return tally;
    },
    lastDeeds: () => lastDeeds(usage(), v.identityCount),
    appList,
    letIn,
    approval: () => undefined,
    apps: (n) => (n < S ? apps().inSpace(n) : apps().reads.many(n - S)),
    spaces: spacesIn(judged, usage, (i) => row(i).modifiedAt),
    entry: {
      madeBy: (e) => {
        const made = entry(e);
        return org.find('user', ('audience' in made ? made.createdBy : made.grantedBy) ?? '');
      },
      password: (e) => (entry(e) as LinkRow).password ?? false,
      lastUsed: (e) => momentOf((entry(e) as LinkRow).lastUsedAt ?? ''),
    },
  });
  return { ...judged, getters, label: (i) => row(i).label, appList, letIn };
}

/** The certainty of `--min-certainty`. */
function certaintyOf({ minCertainty }: Pick<FactsOptions, 'minCertainty'>): number {
  const from = Number(minCertainty);
  if (Number.isInteger(from) && from >= 0 && from <= 100) return from;
  throw new CliError('--min-certainty takes a whole number from 0 to 100.');
}

/** What conditions can ask whether a file holds it: data types, which count from a certainty on, and packs. */
export const holdingTypes = (from: number): HoldingTypes => ({
  from: (type) => (dataType(type) ? from : undefined),
  pack: (id) => PACKS.find((p) => p.id === id)?.types,
});

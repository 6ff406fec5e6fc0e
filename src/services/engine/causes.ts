/** Causes of exposure, in words. */
import { nodeOfItem } from '../../core/access/organisation.ts';
import { causesOf, type Cause } from '../../core/exposure/causes.ts';
import { compileFilter, type Getters } from '../../core/filter/filter.ts';
import type { CauseRow, CausesPage } from '../dto.ts';
import { entryRef, nodeName, nodeRef, personRef, sentence, whereWords } from './describe.ts';
import type { Loaded } from './loaded.ts';

const made = new WeakMap<Loaded, CausesPage>();
const FILES = 40;
const PEOPLE = 30;

/** Every cause that closes something by itself, the one first that closes most. Worked out once for a survey. */
export function causes(l: Loaded): CausesPage {
  let page = made.get(l);
  if (!page) {
    page = {
      rows: causesOf(l.view, l.columns, l.weights, l.exposures).map((c) => row(l, c)),
      points: l.exposures.reduce((n, e) => n + e.points, 0),
      findings: l.exposures.length,
      survey: l.survey,
      takenAt: l.takenAt,
    };
    made.set(l, page);
  }
  return page;
}

function row(l: Loaded, c: Cause): CauseRow {
  const entry = c.entry === undefined ? undefined : entryRef(l, c.entry);
  const words =
    c.kind === 'visibility'
      ? `The space “${nodeName(l, c.space!)}” is visible to the whole organisation`
      : c.kind === 'membership'
        ? `${personRef(l, c.identity!).address} is in the group “${l.org.groups[c.group!]!.name}”`
        : capital(sentence(entry!));
  const node = c.entry === undefined ? c.space : l.org.entries.node[c.entry];
  return {
    key: JSON.stringify(c.change),
    kind: c.kind,
    words,
    ...(entry && { entry }),
    ...(node !== undefined && node >= 0 && { node: nodeRef(l, node) }),
    points: c.points,
    findings: c.findings,
    together: c.together,
    members: c.members.length,
    external: c.external.length,
    people: [...c.members, ...c.external].slice(0, PEOPLE).map((i) => personRef(l, i)),
    files: [...c.closes]
      .sort((a, b) => b[1] - a[1])
      .slice(0, FILES)
      .map(([item, points]) => {
        const n = nodeOfItem(l.org, item);
        return { node: nodeRef(l, n), path: whereWords(l, n), points, weight: l.weights[item]! };
      }),
    filesMore: Math.max(0, c.closes.size - FILES),
  };
} // prettier-ignore

const FIELDS: Getters<CauseRow, 'causes'> = {
  text: (r) => `${r.words} ${r.entry?.madeBy ?? ''}`.toLowerCase(),
  words: (r) => r.words,
  kind: (r) => r.kind,
  points: (r) => r.points,
  findings: (r) => r.findings,
  members: (r) => r.members,
  external: (r) => r.external,
  madeBy: (r) => r.entry?.madeBy ?? '',
};

/** The causes that fit; what they close together stays as it is for all. */
export function causesWhere(
  l: Loaded,
  q: { text?: string | undefined; where?: string | undefined },
): CausesPage {
  const page = causes(l);
  const text = q.text?.toLowerCase();
  const test = q.where ? compileFilter(q.where, 'causes', FIELDS, Date.parse(l.takenAt)) : () => true;
  return { ...page, rows: page.rows.filter((r) => (!text || FIELDS.text(r).includes(text)) && test(r)) };
}

const capital = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);

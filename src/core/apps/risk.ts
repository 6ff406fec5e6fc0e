/** The risk of an app as a sum that one can see. The formula and its reasons: docs/apps.md. */
import { parse } from 'tldts';
import { toASCII } from 'tr46';
import { distance } from 'fastest-levenshtein';
import { domainName } from '../access/addresses.ts';
import { counted } from '../counted.ts';
import { lookAlike, skeleton } from '../exposure/domains.ts';
import { POINTS_PER_TIER, severityOf, type ExposureSum } from '../exposure/exposure.ts';
import { CAP, type AppGrantRow, type AppRow, type OrganisationRow } from '../model.ts';
import { momentOf } from '../time.ts';
import type { Reading } from './reading.ts';
import { bitsIn, type KnownScope } from './scopes.ts';

const DAY = 86_400_000;
/** An app that nobody has used for so many days is used by nobody; one is new for so many (common practice). */
const UNUSED_DAYS = 90;
const NEW_DAYS = 30;
/** So many people are many. */
const MANY = 10;
/** What can be read beside files, in points. */
const BESIDE_FILES = { mail: 30, chat: 15, calendar: 5, directory: 5 } as const;
/** Names that are shorter are alike by chance. */
const LONG_ENOUGH = 5;

export interface AppRiskInput {
  app: AppRow;
  grants: readonly AppGrantRow[];
  /** What they allow, each scope once. */
  scopes: readonly KnownScope[];
  reading: Reading;
  /** The apps that are known: a name that is like another's may be meant to be taken for it. */
  known: readonly AppRow[];
  own: Pick<OrganisationRow, 'domains' | 'partnerDomains'>;
  moment: number;
  lapsed: Lapsed;
}

/** Domains that nobody has registered, or whose registration ends, and when: in milliseconds since 1970. */
export type Lapsed = ReadonlyMap<string, number>;

/** Scheme and host of an address that people are sent back to; either may be missing. */
const parts = (entry: string): { scheme: string; host: string } => {
  const [, scheme = '', host = ''] = /^(?:(https?):\/\/)?([^/:]*|\[[^\]]*\])/i.exec(entry)!;
  return { scheme: scheme.toLowerCase(), host };
};

/** The domain of a redirect host that somebody has to register, as registries write it; null where there is none. */
export function domainToRegister(entry: string): string | null {
  const { domain } = parse(parts(entry).host);
  return domain ? toASCII(domain) || null : null;
}

/** What a name looks like, whatever letters and spaces it is written with. */
const looks = (name: string): string =>
  [...name.normalize('NFKC').toLowerCase()].filter((c) => /[\p{L}\p{N}]/u.test(c)).join('');

/** A verified app of somebody else whose name this one may be taken for. */
export function likens(app: AppRow, known: readonly AppRow[]): AppRow | undefined {
  if (app.verified) return undefined;
  const mine = skeleton(looks(app.name));
  return known.find((other) => {
    if (!other.verified || other.id === app.id || other.publisher === app.publisher) return false;
    const theirs = skeleton(looks(other.name));
    return theirs.length >= LONG_ENOUGH && (mine === theirs || distance(mine, theirs) <= 1);
  });
}

/** What is wrong with a host that people are sent back to. */
function wrongWith(
  entry: string,
  { own: { domains, partnerDomains }, lapsed, moment }: Pick<AppRiskInput, 'own' | 'lapsed' | 'moment'>,
): { why: string; points: number }[] {
  const { scheme, host } = parts(entry);
  const said: { why: string; points: number }[] = [];
  const { isIp, isPrivate } = parse(host, { allowPrivateDomains: true });
  if (scheme === 'http') said.push({ why: `It answers to ${host} without TLS`, points: 20 });
  if (isIp) said.push({ why: `It answers to the bare address ${host}`, points: 20 });
  else {
    if (isPrivate) said.push({ why: `It answers to ${host}, which anybody can rent`, points: 10 });
    const alike = host ? lookAlike(domainName(host), [...domains, ...partnerDomains]) : undefined;
    if (alike)
      said.push({ why: `It answers to ${host}, which looks like ${alike.domain}: ${alike.how}`, points: 40 });
    const domain = domainToRegister(entry);
    if (domain && (lapsed.get(domain) ?? Infinity) <= moment)
      said.push({ why: `It answers to ${host}, and anybody can register ${domain} now`, points: 60 });
  }
  return said;
}

/** The people of some grants, by id. */
export const peopleIn = (grants: readonly AppGrantRow[]): Set<string> =>
  new Set(grants.flatMap((g) => g.user ?? []));

/** Whether an app was made lately. */
export const isNew = (app: AppRow, moment: number): boolean =>
  moment - momentOf(app.createdAt ?? '') < NEW_DAYS * DAY;

/** When somebody used it last, in milliseconds since 1970; 0 where that is not known. */
export const lastUseOf = (grants: readonly AppGrantRow[]): number =>
  grants.reduce((last, g) => Math.max(last, momentOf(g.lastUsedAt ?? '') || 0), 0);

/** Whether nobody has used it for long; of one that was let in lately that is not known. */
export const isUnused = (grants: readonly AppGrantRow[], moment: number): boolean =>
  grants.length > 0 &&
  grants.every((g) => moment - (momentOf(g.lastUsedAt ?? g.grantedAt ?? '') || 0) >= UNUSED_DAYS * DAY);

/** The risk of an app, line by line. */
export function appRisk({
  app,
  grants,
  scopes,
  reading,
  known,
  own,
  moment,
  lapsed,
}: AppRiskInput): ExposureSum {
  const lines: ExposureSum['lines'] = [];
  for (let w = 4; w >= 1; w--) {
    const n = reading.byWeight[w]!;
    if (n)
      lines.push({
        why: `Could read ${counted(n, ['file', 'files'])} of weight ${w}`,
        points: Math.round(POINTS_PER_TIER[w]! * (1 + Math.log10(n))),
      });
  }
  const of = scopes.flatMap((s) => s.allows);
  for (const [what, points] of Object.entries(BESIDE_FILES))
    if (of.some((s) => s.of === what)) lines.push({ why: `Could read or use ${what}`, points });
  const base = lines.reduce((sum, l) => sum + l.points, 0);
  const share = (why: string, part: number): void => {
    lines.push({ why: `${why}: + ${Math.round(part * 100)} %`, points: Math.round(base * part) });
  };
  const bits = bitsIn(scopes);
  if (bits & CAP.manage) share('It may administrate', 1);
  else if (bits & (CAP.share | CAP.delete) || of.some((s) => s.sends))
    share('It may share, delete or send', 0.5);
  else if (bits & CAP.edit) share('It may change things', 0.25);
  const unknown = scopes.flatMap((s) => (s.known ? [] : s.scope));
  if (unknown.length)
    lines.push({ why: `What it may do by ${unknown.slice(0, 3).join(', ')} is not known`, points: 40 });
  const people = peopleIn(grants).size;
  if (grants.some((g) => g.everyone)) share('It was let in for everyone', 0.5);
  else if (people >= MANY) share(`${people} people let it in`, 0.2);
  const alike = likens(app, known);
  if (alike)
    lines.push({
      why: `Its name looks like ${alike.name}, of ${alike.publisher ?? 'another publisher'}`,
      points: 60,
    });
  if (!app.verified) lines.push({ why: 'Nobody has verified who publishes it', points: 10 });
  for (const host of app.redirectHosts ?? []) lines.push(...wrongWith(host, { own, lapsed, moment }));
  if (isNew(app, moment)) lines.push({ why: 'It is new', points: 10 });
  if (isUnused(grants, moment)) lines.push({ why: `Nobody has used it for ${UNUSED_DAYS} days`, points: 20 });
  const points = lines.reduce((sum, l) => sum + l.points, 0);
  return { points, severity: severityOf(points), lines };
}

/** What a domain is to us: a partner's, a provider of free mailboxes, or one that is made to look like another. */
import { distance } from 'fastest-levenshtein';
import providers from 'email-providers/all.json' with { type: 'json' };
import { getDomain, getPublicSuffix } from 'tldts';
import { coveredBy } from '../model.ts';

/** Providers of mailboxes for anybody (email-providers); reserved names (RFC 2606) are none. */
const FREE = new Set(providers.filter((d) => !/(?:^|\.)(?:example|test|invalid|localhost)(?:\.|$)/.test(d)));

export interface DomainAbout {
  /** What is registered: the domain below its public suffix (publicsuffix.org). */
  registrable: string;
  standing: 'own' | 'partner' | 'unknown';
  /** Anybody can get a mailbox there. */
  consumer: boolean;
  /** A domain of ours or a partner's that it may be taken for, and why. */
  likens?: { domain: string; how: string };
}

/** The registrable domain of a name; the name itself where it has no suffix that is known. */
export const registrable = (name: string): string => getDomain(name, { allowPrivateDomains: true }) ?? name;

export function aboutDomain(name: string, own: readonly string[], partners: readonly string[]): DomainAbout {
  const about = {
    registrable: registrable(name),
    standing: coveredBy(name, own)
      ? ('own' as const)
      : coveredBy(name, partners)
        ? ('partner' as const)
        : ('unknown' as const),
    consumer: FREE.has(name) || FREE.has(registrable(name)),
  };
  const likens =
    about.standing === 'unknown' && !about.consumer ? lookAlike(name, [...own, ...partners]) : undefined;
  return { ...about, ...(likens && { likens }) };
}

/** Letters that look like others: those of Unicode Technical Standard #39 that stand for Latin ones, and pairs that run together. */
const ALIKE: Record<string, string> = {
  '0': 'o',
  '1': 'l',
  '3': 'e',
  '5': 's',
  i: 'l',
  j: 'l',
  а: 'a',
  е: 'e',
  о: 'o',
  р: 'p',
  с: 'c',
  у: 'y',
  х: 'x',
  і: 'l',
  ѕ: 's',
  ԁ: 'd',
  һ: 'h',
  ո: 'n',
  ο: 'o',
  α: 'a',
  ν: 'v',
  ι: 'l',
  κ: 'k',
  ρ: 'p',
  τ: 't',
};
const PAIRS: [RegExp, string][] = [
  [/rn/g, 'm'],
  [/vv/g, 'w'],
  [/cl/g, 'd'],
];

/** A name as the eye takes it. */
export function skeleton(label: string): string {
  let plain = label
    .toLowerCase()
    .normalize('NFKD')
    .replace(/[\u0300-\u036f-]/g, '');
  for (const [pair, one] of PAIRS) plain = plain.replace(pair, one);
  return [...plain].map((c) => ALIKE[c] ?? c).join('');
}

/** The name without its public suffix and what stands before the registrable part: `port-north` of `mail.port-north.example`. */
const labelOf = (name: string): string => {
  const whole = registrable(name);
  const suffix = getPublicSuffix(whole, { allowPrivateDomains: true });
  return suffix && whole.endsWith(`.${suffix}`) ? whole.slice(0, -suffix.length - 1) : whole;
};

/** Shorter names than this differ from many by a letter. */
const LONG_ENOUGH = 6;

/** The first of some domains that a name may be taken for; none where it is one of them. */
export function lookAlike(
  name: string,
  known: readonly string[],
): { domain: string; how: string } | undefined {
  if (coveredBy(name, known)) return undefined;
  const label = labelOf(name);
  const seen = skeleton(unicodeOf(label));
  let close: { domain: string; how: string } | undefined;
  for (const domain of known) {
    const other = labelOf(domain);
    if (other.length < 3) continue;
    if (label === other) return { domain, how: 'the same name with another suffix' };
    const theirs = skeleton(other);
    if (seen === theirs) return { domain, how: 'letters that look alike' };
    if (other.length < LONG_ENOUGH) continue;
    if (distance(seen, theirs) <= (other.length >= 10 ? 2 : 1))
      close ??= { domain, how: 'a letter or two apart' };
    else if (seen.includes(theirs)) close ??= { domain, how: 'the same name with something added' };
  }
  return close;
}

/** A label of another script as it is shown (RFC 3492). */
function unicodeOf(label: string): string {
  if (!label.includes('xn--')) return label;
  return label
    .split('.')
    .map((part) => (part.startsWith('xn--') ? decodePunycode(part.slice(4)) : part))
    .join('.');
}

/** RFC 3492 §6.2; the text itself where it is not well formed. */
function decodePunycode(text: string): string {
  const at = text.lastIndexOf('-');
  const out = at > 0 ? [...text.slice(0, at)].map((c) => c.charCodeAt(0)) : [];
  let [n, i, bias] = [128, 0, 72];
  for (let k = at > 0 ? at + 1 : 0; k < text.length;) {
    const old = i;
    for (let w = 1, step = 36; ; step += 36) {
      const c = text.charCodeAt(k++);
      const digit = c >= 48 && c <= 57 ? c - 22 : c >= 97 && c <= 122 ? c - 97 : -1;
      if (digit < 0 || i > 0xffffff) return text;
      i += digit * w;
      const t = step <= bias ? 1 : step >= bias + 26 ? 26 : step - bias;
      if (digit < t) break;
      w *= 36 - t;
    }
    let delta = old === 0 ? Math.floor(i / 700) : (i - old) >> 1;
    delta += Math.floor(delta / (out.length + 1));
    let shift = 0;
    for (; delta > 455; shift += 36) delta = Math.floor(delta / 35);
    bias = shift + Math.floor((36 * delta) / (delta + 38));
    n += Math.floor(i / (out.length + 1));
    i %= out.length + 1;
    if (n > 0x10ffff) return text;
    out.splice(i++, 0, n);
  }
  return String.fromCodePoint(...out);
}

/**
 * What an office of the fleet keeps where it belongs: lists of crew with their numbers, certificates,
 * a manifest, an access sheet; and lists of parts and orders that only look like something.
 */
import { cardNumber, dice, fullName, type Dice } from './make.ts';
import type { Builder } from './builder.ts';

const two = (n: number): string => String(n).padStart(2, '0');
const serial = (d: Dice, n: number): string => Array.from({ length: n }, () => d.int(10)).join('');
const weighted = (text: string, weights: readonly number[]): number =>
  weights.reduce((sum, w, i) => sum + w * Number(text[i]), 0);

/** A number whose last digit or digits `check` gives; tried until there are some. */
function until(make: () => string | undefined): string {
  for (;;) {
    const made = make();
    if (made) return made;
  }
}

/** Norwegian birth number: two check digits, modulo 11 (Skatteetaten). */
const fodselsnummer = (d: Dice): string =>
  until(() => {
    const head = `${two(1 + d.int(28))}${two(1 + d.int(12))}${two(60 + d.int(39))}${serial(d, 3)}`;
    const k1 = (11 - (weighted(head, [3, 7, 6, 1, 8, 9, 4, 5, 2]) % 11)) % 11;
    const k2 = (11 - (weighted(`${head}${k1}`, [5, 4, 3, 2, 7, 6, 5, 4, 3, 2]) % 11)) % 11;
    return k1 < 10 && k2 < 10 && Number(head.slice(6)) < 500 ? `${head}${k1}${k2}` : undefined;
  });

/** Dutch citizen service number: the eleven test. */
const bsn = (d: Dice): string =>
  until(() => {
    const head = `${1 + d.int(8)}${serial(d, 7)}`;
    const last = weighted(head, [9, 8, 7, 6, 5, 4, 3, 2]) % 11;
    return last < 10 ? `${head}${last}` : undefined;
  });

/** Estonian personal code: modulo 11 in two steps. */
const isikukood = (d: Dice): string => {
  const head = `${3 + d.int(2)}${two(60 + d.int(39))}${two(1 + d.int(12))}${two(1 + d.int(28))}${serial(d, 3)}`;
  let last = weighted(head, [1, 2, 3, 4, 5, 6, 7, 8, 9, 1]) % 11;
  if (last === 10) last = weighted(head, [3, 4, 5, 6, 7, 8, 9, 1, 2, 3]) % 11;
  return `${head}${last % 10}`;
};

/** NHS number: modulo 11. */
const nhs = (d: Dice): string =>
  until(() => {
    const head = `${4 + d.int(4)}${serial(d, 8)}`;
    const last = (11 - (weighted(head, [10, 9, 8, 7, 6, 5, 4, 3, 2]) % 11)) % 11;
    return last < 10 ? `${head.slice(0, 3)} ${head.slice(3, 6)} ${head.slice(6)}${last}` : undefined;
  });

/** Machine-readable zone of a passport of Utopia, the country of ICAO Doc 9303's examples. */
function passport(d: Dice, name: string): string {
  const check = (text: string): number =>
    [...text].reduce((sum, c, i) => sum + [7, 3, 1][i % 3]! * (c === '<' ? 0 : parseInt(c, 36)), 0) % 10;
  const spelled = (s: string): string =>
    s
      .toUpperCase()
      .replace(/Ø/g, 'OE')
      .normalize('NFD')
      .replace(/[^A-Z ]/g, '')
      .replace(/ /g, '<');
  const [given, family] = name.split(' ') as [string, string];
  const first = `P<UTO${spelled(family)}<<${spelled(given)}`.padEnd(44, '<');
  const number = `U${serial(d, 8)}`;
  const born = `${two(60 + d.int(39))}${two(1 + d.int(12))}${two(1 + d.int(28))}`;
  const until_ = `${two(27 + d.int(8))}${two(1 + d.int(12))}${two(1 + d.int(28))}`;
  const rest = '<'.repeat(14);
  const body = `${number}${check(number)}UTO${born}${check(born)}${d.pick(['F', 'M'])}${until_}${check(until_)}${rest}${check(rest)}`;
  const all = body.slice(0, 10) + body.slice(13, 20) + body.slice(21);
  return `${first}\n${body}${check(all)}`;
}

const list = <T>(n: number, make: (i: number) => T): T[] => Array.from({ length: n }, (_, i) => make(i));

/** Files that hold what they should, where they should. Nothing here is exposed. */
export function keepRecords(b: Builder): void {
  const d = dice(2041);
  const name = (i: number): string => fullName(i + d.int(300));
  const crew = b.drive('Crew records');
  const papers = b.folder(crew, 'Papers of the crew');
  const file = (space: string, title: string, text: string, parent?: string): void =>
    void b.file(space, title, `${text}\n`, parent ? { parent } : {});

  file(
    crew,
    'Crew of Norway.xlsx',
    ['name;fødselsnummer;rank', ...list(46, (i) => `${name(i)};${fodselsnummer(d)};deck`)].join('\n'),
    papers,
  );
  file(
    crew,
    'Bemanning Nederland.xlsx',
    ['naam;BSN;functie', ...list(31, (i) => `${name(i)};${bsn(d)};machinist`)].join('\n'),
    papers,
  );
  file(
    crew,
    'Meeskond Eesti.xlsx',
    ['nimi;isikukood;amet', ...list(28, (i) => `${name(i)};${isikukood(d)};madrus`)].join('\n'),
    papers,
  );
  file(
    crew,
    'NHS numbers for the doctor.docx',
    ['For the ship’s doctor (made up)', ...list(12, (i) => `${name(i)}, NHS number ${nhs(d)}`)].join('\n'),
    papers,
  );
  file(
    crew,
    'Passport pages, winter crew.pdf',
    ['Passports as scanned (made up)', ...list(9, (i) => passport(d, name(i)))].join('\n'),
    papers,
  );
  file(
    crew,
    'Medical certificates to renew.docx',
    [
      'Seafarer medical certificates to renew',
      ...list(
        14,
        (i) =>
          `${name(i)}: medical certificate no. ENG1-${serial(d, 6)}, date of birth ${two(1 + d.int(28))}.${two(1 + d.int(12))}.19${60 + d.int(39)}`,
      ),
    ].join('\n'),
    papers,
  );
  const systems = b.drive('IT leads');
  file(
    systems,
    'Harbour database.md',
    `# Harbour database\n\nconnection: postgres://harbour:${b.d.pick(['kelp', 'brine'])}-Tarn-${serial(d, 5)}@db.tarntide.example/berths\npassword: ${'Skerry'}${serial(d, 4)}!x\n`,
  );
  const technical = b.drive('Technical');
  const first = cardNumber(d).padEnd(16, '0').slice(0, 12);
  file(
    technical,
    'Spare parts, hull.xlsx',
    [
      'part number;what;berth',
      ...list(400, (i) => `${first}${String(1000 + i)};seal ${i};${1 + (i % 9)}`),
    ].join('\n'),
  );
  file(
    technical,
    'Orders to the yard.csv',
    ['order;pieces;price', ...list(60, () => `4${serial(d, 15)};${1 + d.int(9)};${d.int(900)}`)].join('\n'),
  );
}

/**
 * A labelled corpus of our own making: documents with true values of a type, and documents with what
 * only looks alike. Values are drawn by their forms until the type’s own check holds; the checks are
 * compared with other people’s in schemes.test.ts.
 */
import { dice } from '../../demo/make.ts';
import { luhn } from '../../src/core/recognise/types/checks.ts';
import { dataType } from '../../src/core/recognise/types/index.ts';

type Dice = ReturnType<typeof dice>;

/** # a digit, A a capital, * either, YY MM DD a date’s parts, [abc] one of these; all else itself. */
export function made(d: Dice, form: string): string {
  const [y, m, day] = [1950 + d.int(75), 1 + d.int(12), 1 + d.int(28)];
  return form
    .replace('YYYY', String(y))
    .replace('YY', String(y).slice(2))
    .replace('MM', String(m).padStart(2, '0'))
    .replace('DD', String(day).padStart(2, '0'))
    .replace(/\[([^\]]+)\]|[#A*]/g, (c, list?: string) => {
      if (list) return list[d.int(list.length)]!;
      const letter = c === 'A' || (c === '*' && d.chance(0.5));
      return letter ? String.fromCharCode(65 + d.int(26)) : String(d.int(10));
    });
}

/** Whether a type takes the whole text as one of its values, whatever stands around it. */
export function takes(id: string, text: string): boolean {
  const type = dataType(id)!;
  return type.patterns.some((pattern, k) => {
    pattern.lastIndex = 0;
    return pattern.test(text) && pattern.lastIndex === text.length && !!type.judge(text, '', k);
  });
}

/** Type, form of a value, and how people write it down. */
const TRUE: [id: string, form: string, written: string[]][] = [
  ['payment-card', '4###############', ['card number: @', 'paid by card @ exp 10/28', '@']],
  ['us-ssn', '[1234567]##-##-####', ['SSN: @', 'social security number @', 'employee @']],
  ['gb-nino', '[ABCE][ABCE]######[ABCD]', ['NI number @', 'National Insurance: @', '@']],
  ['gb-nhs', '### ### ####', ['NHS number: @', 'patient @, ward 4', '@']],
  ['ca-sin', '[1234567]##-###-###', ['SIN @', 'social insurance number: @', '@']],
  ['au-tfn', '### ### ###', ['TFN: @', 'tax file number @', '@']],
  ['es-dni', '########A', ['DNI @', 'documento nacional: @', '@']],
  ['fr-nir', '[12]YYMM75########', ['numéro de sécurité sociale @', 'NIR: @', '@']],
  ['de-tax-id', '###########', ['Steuer-ID: @', 'Identifikationsnummer @', '@']],
  ['nl-bsn', '#########', ['BSN: @', 'burgerservicenummer @', '@']],
  ['be-national-number', 'YY.MM.DD-###.##', ['rijksregisternummer @', 'numéro national @', '@']],
  ['pl-pesel', 'YYMMDD#####', ['PESEL: @', 'numer PESEL @', '@']],
  ['se-personnummer', 'YYMMDD-####', ['personnummer @', 'pnr: @', '@']],
  ['no-fodselsnummer', 'DDMMYY#####', ['fødselsnummer: @', 'fnr @', '@']],
  ['fi-hetu', 'DDMMYY-###*', ['henkilötunnus @', 'hetu: @', '@']],
  ['ee-isikukood', '[3456]YYMMDD####', ['isikukood @', 'isikukood: @', '@']],
  ['ch-ahv', '756.####.####.##', ['AHV-Nr. @', 'AVS: @', '@']],
  ['br-cpf', '###.###.###-##', ['CPF: @', 'CPF @', '@']],
  ['in-aadhaar', '[23456789]### #### ####', ['Aadhaar: @', 'aadhaar no @', '@']],
  ['cn-resident', '110101YYYYMMDD####', ['身份证号 @', '公民身份号码：@', '@']],
  ['sg-nric', '[ST]#######A', ['NRIC: @', 'identity card @', '@']],
  ['za-identity', 'YYMMDD#######', ['ID number: @', 'identity number @', '@']],
  ['us-npi', '1#########', ['NPI: @', 'provider NPI @', '@']],
  ['us-dea', '[AB]A#######', ['DEA: @', 'prescriber DEA number @', '@']],
  ['isin', 'US##########', ['ISIN: @', 'fund @', '@']],
  ['us-aba-routing', '0########', ['routing number @', 'ABA: @', '@']],
  ['us-itin', '9##-[78]#-####', ['ITIN: @', 'taxpayer identification @', '@']],
  ['gb-utr', '##########', ['UTR: @', 'unique taxpayer reference @', '@']],
  ['ie-pps', '#######A', ['PPS number @', 'PPSN: @', '@']],
  ['au-medicare', '[23456]### ##### #', ['Medicare card @', 'medicare number @', '@']],
  ['au-abn', '## ### ### ###', ['ABN @', 'business number @', '@']],
  ['nz-ird', '##-###-###', ['IRD number @', 'inland revenue @', '@']],
  ['es-nie', '[XYZ]#######A', ['NIE: @', 'residencia @', '@']],
  ['pt-nif', '[123]## ### ###', ['NIF: @', 'contribuinte @', '@']],
  ['dk-cpr', 'DDMMYY-####', ['CPR-nr @', 'cpr: @', '@']],
  ['at-svnr', '####-DDMMYY', ['SVNR @', 'Sozialversicherungsnummer @', '@']],
  ['mx-curp', 'A[AEIO]AAYYMMDD[HM]DF[BCDFG][BCDFG][BCDFG]0#', ['CURP: @', 'clave única @', '@']],
  ['co-nit', '[89]##.###.###-#', ['NIT: @', 'NIT de la empresa @', '@']],
  ['in-pan', 'AAAPA####A', ['PAN: @', 'permanent account @', '@']],
  ['jp-my-number', '#### #### ####', ['マイナンバー：@', 'my number @', '@']],
  ['kr-rrn', 'YYMMDD-[1234]######', ['주민등록번호 @', 'resident registration @', '@']],
  ['th-identity', '#-####-#####-##-#', ['เลขประจำตัวประชาชน @', 'thai id @', '@']],
  ['cusip', '######A##', ['CUSIP @', 'bond @', '@']],
  ['lei', '5493**************##', ['LEI: @', 'legal entity identifier @', '@']],
  ['iban', 'GB## WEST #### #### #### ##', ['IBAN: @', 'to account @', '@']],
  ['de-identity-card', '[LMT]#########', ['Personalausweis @', 'Ausweisnummer @', '@']],
];

const neutral = [
  'The ferry leaves at noon.',
  'See the minutes of the last meeting.',
  'Kept for the quarterly review.',
  'Lot and berth as agreed.',
];

/** What only looks alike, as people write it. */
const DECOYS: ((d: Dice) => string)[] = [
  (d) => `order number ${made(d, '################')}`,
  (d) => {
    const n = made(d, '4##############');
    return `student number ${n}${[...'0123456789'].find((c) => luhn(n + c))}`;
  },
  (d) => `ISBN 978-${made(d, '#-##-######-#')}`,
  (d) => `EAN ${made(d, '#############')}`,
  (d) => `tel ${made(d, '020 #### ####')}`,
  (d) => `phone (${made(d, '###) ###-####')}`,
  (d) => `at ${1_600_000_000_000 + d.int(1_000_000_000)} the job began`,
  (d) => `unix time ${1_600_000_000 + d.int(100_000_000)}`,
  (d) => `${made(d, '########-####-4###-9###-############')} request`,
  (d) => `sha256 ${Array.from({ length: 64 }, () => d.int(16).toString(16)).join('')}`,
  (d) => `part no ${made(d, 'AA-####-##')}, serial ${made(d, '#########')}`,
  (d) => `invoice ${made(d, '##########')} of 2026-03-1${d.int(10)}`,
  (d) => `tracking ${made(d, 'AA#########AA')}`,
  (d) => `${made(d, '#########')} pallets, ${made(d, '####.##')} kg`,
  (d) => `build ${made(d, '####.##.###')}, revision ${made(d, '######')}`,
  (d) => `ip ${made(d, '1##.##.##.##')} port ${made(d, '####')}`,
  (d) => `version ${made(d, '#.##.#')} of ${made(d, '20##-0#-1#')}`,
  (d) => `coordinates ${made(d, '5#.######')}, ${made(d, '2#.######')}`,
];

export interface Labelled {
  text: string;
  /** The type of the value in it, or none. */
  type: string | undefined;
}

/** `count` documents of every type and of every decoy, from a seed: one for tuning, another held out. */
export function labelled(seed: number, count: number): Labelled[] {
  const d = dice(seed);
  const around = (line: string): string =>
    [
      neutral[d.int(neutral.length)],
      neutral[d.int(neutral.length)],
      line,
      neutral[d.int(neutral.length)],
    ].join('\n');
  const out: Labelled[] = [];
  for (const [type, form, written] of TRUE)
    for (let i = 0; i < count; i++) {
      let value = made(d, form);
      while (!takes(type, value)) value = made(d, form);
      out.push({ type, text: around(written[i % written.length]!.replace('@', value)) });
    }
  for (const decoy of DECOYS)
    for (let i = 0; i < count; i++) out.push({ type: undefined, text: around(decoy(d)) });
  return out;
}

/** The types that have documents. */
export const LABELLED_TYPES = TRUE.map(([id]) => id);

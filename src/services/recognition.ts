/**
 * Recognition, as stewards use it: the catalogue of data types, their own types and packs, the bench,
 * from which certainty matches count, and what their marks say of that.
 */
import { compileFilter, type Getters } from '../core/filter/filter.ts';
import type { CustomType } from '../core/recognise/custom.ts';
import { PACKS, type Pack } from '../core/recognise/packs.ts';
import { suggestThreshold } from '../core/recognise/threshold.ts';
import { DATA_TYPES, dataType } from '../core/recognise/types/index.ts';
import { wordsOf } from '../formats/custom-type.ts';
import { customTypeSchema } from '../formats/custom-type-schema.ts';
import type { OpenDb } from '../store/db.ts';
import { observeOne } from '../store/observed.ts';
import { keepScans } from '../store/scans.ts';
import { readCertainty, readPictures, writeSetting } from '../store/settings.ts';
import type { BenchResult, PackRow, TypeDetail, TypeRow } from '../dto/recognition.ts';
import type { Engine } from '../engine/engine.ts';
import { AppError } from './errors.ts';
import type { Ledger } from './ledger.ts';
import { readRecogniser } from './recogniser.ts';
import { contentDoc, recogniserVersion, ScanPool } from './scan/pool.ts';
import type { Present } from './present.ts';
import type { Secrets } from './secrets.ts';
import { mayHoldText, versionOf } from './survey/files.ts';
import type { Surveys } from './survey/surveys.ts';

/** Characters of text shown on the bench. */
const SHOWN = 200_000;
const BENCH_KEEP = 2000;
const KEEP = 20;
/** Samples of each band of certainty. */
const EACH = 4;
/** One file on the bench, or one case, may take so long. */
const BENCH_TIME = 20_000;

interface CustomRow {
  id: string;
  /** Without its cases, which are sealed. */
  doc: CustomType;
  cases: string | null;
  active: boolean;
  changed_at: Date;
  changed_by: string;
}

/** What somebody brings to the bench. */
interface Brought {
  bytes: AsyncIterable<Uint8Array>;
  name: string;
}

const FIELDS: Getters<TypeRow, 'data-types'> = {
  text: (r) => `${r.name} ${r.id} ${r.source}`.toLowerCase(),
  id: (r) => r.id,
  name: (r) => r.name,
  country: (r) => r.country ?? '',
  source: (r) => r.source,
  weight: (r) => r.weight,
  custom: (r) => r.custom,
  active: (r) => r.active,
  from: (r) => r.from,
  files: (r) => r.use?.files ?? 0,
  occurrences: (r) => r.use?.occurrences ?? 0,
  packs: (r) => r.packs,
};

export class Recognition {
  private pool: { version: string; pool: ScanPool } | undefined;

  constructor(
    private readonly db: OpenDb,
    private readonly ledger: Ledger,
    private readonly engine: Engine,
    private readonly surveys: Surveys,
    private readonly present: Present,
    private readonly secrets: Secrets,
    private readonly clock: () => Date,
  ) {}

  async close(): Promise<void> {
    await this.pool?.pool.close();
  }

  private custom(): Promise<CustomRow[]> {
    return this.db.query<CustomRow>('select * from custom_type order by id');
  }

  /** Threads for the bench and for single files; made anew when what is recognised has changed. */
  private async scanner(): Promise<{ pool: ScanPool; version: string }> {
    const recogniser = await readRecogniser(this.db);
    const version = recogniserVersion(recogniser);
    if (this.pool?.version !== version) {
      void this.pool?.pool.close();
      const hashKey = (await this.secrets.valuesKey(this.db)).toString('base64');
      this.pool = {
        version,
        pool: new ScanPool({ ...recogniser, hashKey, threads: 1, timeLimit: BENCH_TIME }),
      };
    }
    return this.pool;
  }

  /** `where`: a condition over `FIELDS['data-types']`. */
  async types(
    where?: string,
  ): Promise<{ rows: TypeRow[]; usual: number; pictures: boolean; surveyed: boolean }> {
    const [custom, certainty, packs, use, pictures] = await Promise.all([
      this.custom(),
      readCertainty(this.db),
      this.packs(),
      this.engine.ask.typeUse(undefined),
      readPictures(this.db),
    ]);
    const row = (
      t: { id: string; name: string; weight: number; country?: string | undefined; source: string },
      more: Partial<TypeRow> = {},
    ): TypeRow => ({
      id: t.id,
      name: t.name,
      weight: t.weight,
      ...(t.country && { country: t.country }),
      source: t.source,
      custom: false,
      active: true,
      from: certainty.own[t.id] ?? certainty.usual,
      ownCertainty: certainty.own[t.id] !== undefined,
      packs: packs.filter((p) => p.types.includes(t.id)).map((p) => p.name),
      use: use ? (use[t.id] ?? NO_USE) : null,
      ...more,
    });
    const test = compileFilter(where, 'data-types', FIELDS, this.clock().getTime());
    return {
      rows: [
        ...custom.map((c) =>
          row({ ...c.doc, source: `made by ${c.changed_by}` }, { custom: true, active: c.active }),
        ),
        ...DATA_TYPES.map((t) => row(t)),
      ].filter(test),
      usual: certainty.usual,
      pictures,
      surveyed: use !== undefined,
    };
  }

  /** One type; what it is tried on is made of real values, and only for those who make types. */
  async type(id: string, withCases: boolean): Promise<TypeDetail> {
    const { rows } = await this.types();
    const row = rows.find((r) => r.id === id);
    if (!row) throw new AppError('no-such-type', 404, 'There is no such data type.');
    const marks = await this.db.query<{
      source: string;
      item: string;
      place: string;
      certainty: number;
      is_right: boolean;
    }>('select source, item, place, certainty, is_right from mark where data_type = $1', [id]);
    const skip = marks.map((m) => `${m.source} ${m.item} ${m.place}`);
    const samples = (await this.engine.ask.samples(undefined, id, skip, EACH)) ?? [];
    const built = dataType(id);
    const custom = (await this.custom()).find((c) => c.id === id);
    const suggestion = suggestThreshold(
      marks.map((m) => ({ certainty: m.certainty, right: m.is_right })),
      row.use?.levels ?? [],
    );
    return {
      ...row,
      shapes: built ? built.patterns.map((p) => p.source.replace('(?![A-Za-z0-9])', '')) : [],
      context: built?.context ?? { own: custom?.doc.context ?? [] },
      otherwise: built?.otherwise ?? [],
      needsContext: built?.needsContext ?? false,
      examples: built?.examples.size ?? 0,
      ...(custom && {
        definition: { ...custom.doc, cases: withCases ? this.casesOf(custom) : [] },
        changedAt: custom.changed_at.toISOString(),
        changedBy: custom.changed_by,
      }),
      samples,
      marks: {
        right: marks.filter((m) => m.is_right).length,
        wrong: marks.filter((m) => !m.is_right).length,
      },
      ...(suggestion && { suggestion }),
    };
  }

  /** What is wrong with a definition, in words; what it is where nothing is. */
  private async checked(definition: unknown): Promise<CustomType> {
    const parsed = customTypeSchema.safeParse(definition);
    if (!parsed.success)
      throw new AppError(
        'definition',
        422,
        parsed.error.issues.map((i) => `${i.path.join('.') || 'It'}: ${i.message}`).join(' '),
      );
    // not here: whoever asks meanwhile would wait for it
    const not = await (await this.scanner()).pool.refusal(parsed.data);
    if (not) throw new AppError('definition', 422, not);
    return parsed.data;
  }

  private casesOf({ cases }: Pick<CustomRow, 'cases'>): CustomType['cases'] {
    return cases === null ? [] : (JSON.parse(this.secrets.open(cases)) as CustomType['cases']);
  }

  /** Seals cases that were kept with their type before they were sealed. */
  async sealCases(): Promise<void> {
    const open = await this.db.query<CustomRow>(
      "select * from custom_type where jsonb_array_length(coalesce(doc->'cases', '[]')) > 0",
    );
    for (const { id, doc } of open)
      await this.db.query(
        "update custom_type set cases = $2, doc = jsonb_set(doc, '{cases}', '[]') where id = $1",
        [id, this.secrets.seal(JSON.stringify(doc.cases))],
      );
  }

  /** Makes a type or changes one. Refused, with the reason, where it cannot be run or a case of its own fails. */
  async putType(definition: unknown, active: boolean, by: string): Promise<void> {
    const type = await this.checked(definition);
    const held = await this.runCases((await this.scanner()).pool, type);
    const failed = type.cases
      .filter((_, i) => !held[i])
      .map(
        (c) =>
          `“${c.text.slice(0, 60)}” must ${c.matches ? '' : 'not '}match and does${c.matches ? ' not' : ''}`,
      );
    if (failed.length)
      throw new AppError('cases', 422, `Some of its cases fail: ${failed.slice(0, 5).join('; ')}.`);
    await this.db.transaction(async (tx) => {
      const [before] = await tx.query<CustomRow>('select * from custom_type where id = $1', [type.id]);
      await tx.query(
        `insert into custom_type (id, doc, active, changed_at, changed_by, cases) values ($1, $2::jsonb, $3, $4, $5, $6)
         on conflict (id) do update set doc = excluded.doc, active = excluded.active, changed_at = excluded.changed_at, changed_by = excluded.changed_by, cases = excluded.cases`,
        [
          type.id,
          JSON.stringify({ ...type, cases: [] }),
          active,
          this.clock(),
          by,
          this.secrets.seal(JSON.stringify(type.cases)),
        ],
      );
      await this.ledger.add(
        {
          who: by,
          what: before ? 'data-type.changed' : 'data-type.made',
          subject: type.id,
          ...(before && { before: { ...summary(before.doc, this.casesOf(before)), active: before.active } }),
          after: { ...summary(type, type.cases), active },
        },
        tx,
      );
    });
    await this.weighAgain();
  }

  /** Whether each case of a type comes out as it must. */
  private async runCases(pool: ScanPool, type: CustomType): Promise<boolean[]> {
    const custom = JSON.stringify([type]);
    const out: boolean[] = [];
    for (const c of type.cases) {
      const order = { name: '', nameOnly: false, keep: BENCH_KEEP, custom };
      const { found } = await pool.scan(order, once(Buffer.from(c.text)));
      out.push(found.some((f) => f.dataType === type.id) === c.matches);
    }
    return out;
  }

  /** A type that is being made, on a text and on its cases. */
  async tryType(text: string, definition: unknown): Promise<BenchResult & { cases: boolean[] }> {
    const type = await this.checked(definition);
    const { pool } = await this.scanner();
    const result = await this.look(pool, { bytes: once(Buffer.from(text)), name: '' }, [type], [type]);
    return { ...result, cases: await this.runCases(pool, type) };
  }

  async removeType(id: string, by: string): Promise<void> {
    await this.db.transaction(async (tx) => {
      const [before] = await tx.query<CustomRow>('delete from custom_type where id = $1 returning *', [id]);
      if (!before) throw new AppError('no-such-type', 404, 'There is no such data type of your own.');
      await this.ledger.add(
        {
          who: by,
          what: 'data-type.removed',
          subject: id,
          before: summary(before.doc, this.casesOf(before)),
        },
        tx,
      );
    });
    await this.weighAgain();
  }

  /** Scans a text or file that somebody brings, and says what is found where. Nothing of it is kept. */
  async bench(given: Brought): Promise<BenchResult> {
    const { pool } = await this.scanner();
    const custom = (await this.custom()).map((c) => c.doc);
    return this.look(pool, given, [...DATA_TYPES, ...custom]);
  }

  /** What of some types is found where; `custom`: instead of the types of our own that are in force. */
  private async look(
    pool: ScanPool,
    given: Brought,
    types: readonly { id: string; name: string }[],
    custom?: readonly CustomType[],
  ): Promise<BenchResult> {
    const at = performance.now();
    const order = { name: given.name, nameOnly: false, keep: BENCH_KEEP, show: SHOWN };
    const { read, left, found, text } = await pool.scan(
      { ...order, ...(custom && { custom: JSON.stringify(custom) }) },
      given.bytes,
    );
    const names = new Map(types.map((t) => [t.id, t.name]));
    return {
      text: text ?? [],
      found: found.flatMap(({ dataType: id, distinct, occurrences, certainty, matches }) => {
        const name = names.get(id);
        return name === undefined ? [] : { dataType: id, name, distinct, occurrences, certainty, matches };
      }),
      left,
      read,
      milliseconds: Math.round(performance.now() - at),
    };
  }

  /** The words of a list that somebody brings as CSV or text. */
  words(text: string, column?: string): { words: string[]; columns: string[] } {
    const result = wordsOf(text, column);
    if (result.words.length > 200_000)
      throw new AppError('too-many', 422, 'The list holds more than 200,000 words.');
    return result;
  }

  /** From which certainty matches count, of one type or usually; `null` takes a type's own away. */
  async setCertainty(type: string | null, certainty: number | null, by: string): Promise<void> {
    if (type === null && certainty === null)
      throw new AppError('certainty', 422, 'The usual certainty is a number from 0 to 100.');
    await this.db.transaction(async (tx) => {
      const before = await readCertainty(tx);
      const own = Object.fromEntries(Object.entries(before.own).filter(([id]) => id !== type));
      const after =
        type === null
          ? { ...before, usual: certainty! }
          : { ...before, own: certainty === null ? own : { ...own, [type]: certainty } };
      await writeSetting(tx, 'certainty', after);
      await this.ledger.add(
        {
          who: by,
          what: 'certainty.set',
          subject: type ?? 'all data types',
          before: { certainty: type === null ? before.usual : (before.own[type] ?? null) },
          after: { certainty },
        },
        tx,
      );
    });
    await this.weighAgain();
  }

  async setPictures(on: boolean, by: string): Promise<void> {
    await this.db.transaction(async (tx) => {
      const before = await readPictures(tx);
      await writeSetting(tx, 'pictures', on);
      await this.ledger.add(
        { who: by, what: 'pictures.set', subject: 'pictures', before: { read: before }, after: { read: on } },
        tx,
      );
    });
  }

  /** Says of one match that it is right or wrong; `null` takes it back. */
  async mark(
    m: {
      type: string;
      source: string;
      item: string;
      place: string;
      certainty: number;
      right: boolean | null;
    },
    by: string,
  ): Promise<void> {
    if (m.right === null)
      await this.db.query(
        'delete from mark where data_type = $1 and source = $2 and item = $3 and place = $4',
        [m.type, m.source, m.item, m.place],
      );
    else
      await this.db.query(
        `insert into mark (data_type, source, item, place, certainty, is_right, at, by) values ($1, $2, $3, $4, $5, $6, $7, $8)
         on conflict (data_type, source, item, place) do update set certainty = excluded.certainty, is_right = excluded.is_right, at = excluded.at, by = excluded.by`,
        [m.type, m.source, m.item, m.place, m.certainty, m.right, this.clock(), by],
      );
  }

  async packs(): Promise<PackRow[]> {
    const own = await this.db.query<Pack & { copied_from: string | null }>(
      'select * from pack order by name',
    );
    return [
      ...own.map(({ id, name, about, types, copied_from }) => ({
        id,
        name,
        about,
        types,
        own: true,
        ...(copied_from && { copiedFrom: copied_from }),
      })),
      ...PACKS.map((p) => ({ ...p, own: false })),
    ];
  }

  async putPack(pack: Pack & { copiedFrom?: string | undefined }, by: string): Promise<void> {
    if (PACKS.some((p) => p.id === pack.id))
      throw new AppError(
        'ships',
        409,
        'This pack ships with Gate Lantern and cannot be changed. Copy it, and change the copy.',
      );
    const custom = await this.custom();
    const wrong = pack.types.find((id) => !dataType(id) && !custom.some((c) => c.id === id));
    if (wrong !== undefined) throw new AppError('no-such-type', 422, `There is no data type “${wrong}”.`);
    await this.db.transaction(async (tx) => {
      const [before] = await tx.query<Pack>('select * from pack where id = $1', [pack.id]);
      await tx.query(
        `insert into pack (id, name, about, types, copied_from, changed_at, changed_by) values ($1, $2, $3, $4::jsonb, $5, $6, $7)
         on conflict (id) do update set name = excluded.name, about = excluded.about, types = excluded.types, changed_at = excluded.changed_at, changed_by = excluded.changed_by`,
        [
          pack.id,
          pack.name,
          pack.about,
          JSON.stringify(pack.types),
          pack.copiedFrom ?? null,
          this.clock(),
          by,
        ],
      );
      const said = (p: Pack) => ({ name: p.name, types: p.types });
      await this.ledger.add(
        {
          who: by,
          what: before ? 'pack.changed' : 'pack.made',
          subject: pack.id,
          ...(before && { before: said(before) }),
          after: said(pack),
        },
        tx,
      );
    });
    await this.engine.ask.repack();
  }

  async removePack(id: string, by: string): Promise<void> {
    await this.db.transaction(async (tx) => {
      const [before] = await tx.query<Pack>('delete from pack where id = $1 returning *', [id]);
      if (!before) throw new AppError('no-such-pack', 404, 'There is no such pack of your own.');
      await this.ledger.add(
        { who: by, what: 'pack.removed', subject: id, before: { name: before.name, types: before.types } },
        tx,
      );
    });
    await this.engine.ask.repack();
  }

  /** Types behind the id of a pack or of one data type. */
  async typesOf(pack?: string, type?: string): Promise<string[] | undefined> {
    if (type) return [type];
    if (!pack) return undefined;
    const found = (await this.packs()).find((p) => p.id === pack);
    if (!found) throw new AppError('no-such-pack', 404, 'There is no such pack.');
    return found.types;
  }

  /** When each of some files was scanned. */
  async scannedAt<R extends { source: string; item: string }>(
    rows: R[],
  ): Promise<(R & { scannedAt?: string })[]> {
    const times = await this.db.query<{ source: string; item: string; at: Date }>(
      'select s.source, s.item, s.at from scan s join unnest($1::text[], $2::text[]) as w (source, item) on s.source = w.source and s.item = w.item',
      [rows.map((r) => r.source), rows.map((r) => r.item)],
    );
    const at = new Map(times.map((t) => [`${t.source} ${t.item}`, t.at.toISOString()]));
    return rows.map((r) => {
      const time = at.get(`${r.source} ${r.item}`);
      return time ? { ...r, scannedAt: time } : r;
    });
  }

  /** Scans one file now, and makes what is found the present: as at an event. */
  async scanItem(source: string, item: string, by: string): Promise<void> {
    const { connector, row } = await this.surveys.fileOf(source, item);
    const pictures = await readPictures(this.db);
    const { pool, version } = await this.scanner();
    const bytes = mayHoldText(row, pictures) ? await connector.content(item) : undefined;
    const doc = contentDoc(await pool.scan({ name: row.name, nameOnly: !bytes, keep: KEEP }, bytes), !bytes);
    const of = versionOf(row);
    if (of) await keepScans(this.db, source, version, [{ item, version: of, doc }]);
    await this.surveys.readBack(null, by, async (tx, survey) => {
      await observeOne(tx, survey, { kind: 'content', source, id: item, doc });
      await this.ledger.add(
        {
          who: by,
          what: 'file.scanned',
          subject: `${source}:${item}`,
          after: { state: doc.state, found: doc.found.map((f) => f.dataType) },
        },
        tx,
      );
    });
  }

  /** Weights and findings follow what counts. */
  private weighAgain(): Promise<void> {
    return this.present.reweigh();
  }
}

const NO_USE = {
  files: 0,
  occurrences: 0,
  presets: {
    wide: { files: 0, occurrences: 0 },
    balanced: { files: 0, occurrences: 0 },
    strict: { files: 0, occurrences: 0 },
  },
  levels: [],
};

/** What a ledger entry says of a type: its lists may be long. */
const summary = (t: CustomType, cases: CustomType['cases']) => ({
  name: t.name,
  weight: t.weight,
  certainty: t.certainty,
  cases: cases.length,
  match: JSON.stringify(t.match).slice(0, 500),
});

async function* once(bytes: Uint8Array): AsyncGenerator<Uint8Array> {
  yield await Promise.resolve(bytes);
}

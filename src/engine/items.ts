/** A survey's items by number: columns of what is asked of all of them, and rows one at a time. */
import { GrowFloat64, GrowInt32, Interner, put } from '../core/access/growable.ts';
import type { ItemRow } from '../core/model.ts';
import { PackedTexts } from './packed.ts';

export interface Items {
  readonly length: number;
  /** The row as a whole, made anew each time; for many items ask the columns. */
  row(item: number): ItemRow;
  name(item: number): string;
  label(item: number): string | undefined;
  mime(item: number): string | undefined;
  /** A row that has the same number in two surveys made of the same rows says the same. */
  version: Int32Array;
  /** 1 for a file. */
  isFile: Uint8Array;
  /** NaN where unknown. */
  bytes: Float64Array;
  /** Milliseconds since 1970; NaN where unknown. */
  modified: Float64Array;
}

/** Some of the items, in another order. */
export const pickItems = (items: Items, of: Int32Array): Items => ({
  length: of.length,
  row: (i) => items.row(of[i]!),
  name: (i) => items.name(of[i]!),
  label: (i) => items.label(of[i]!),
  mime: (i) => items.mime(of[i]!),
  version: Int32Array.from(of, (i) => items.version[i]!),
  isFile: Uint8Array.from(of, (i) => items.isFile[i]!),
  bytes: Float64Array.from(of, (i) => items.bytes[i]!),
  modified: Float64Array.from(of, (i) => items.modified[i]!),
});

/** The same items, some of them by another name. */
export const renamed = (items: Items, names: ReadonlyMap<number, string>): Items =>
  names.size
    ? {
        ...items,
        row: (i) => {
          const name = names.get(i);
          return name === undefined ? items.row(i) : { ...items.row(i), name };
        },
        name: (i) => names.get(i) ?? items.name(i),
      }
    : items;

const FLAT = [
  'texts',
  'sources',
  'words',
  'text',
  'source',
  'isFile',
  'label',
  'mime',
  'bytes',
  'modified',
] as const;

/** The rows of items as their sources give them, kept as text, with the columns. */
export class ItemRows {
  private readonly texts = new PackedTexts();
  private readonly sources = new Interner();
  /** Labels and media types. */
  private readonly words = new Interner();
  /** By number of the row, as all that follow. */
  private readonly text = new GrowInt32();
  private readonly source = new GrowInt32();
  private readonly isFile = new GrowInt32();
  /** Numbers of words; −1 where there is none. */
  private readonly label = new GrowInt32();
  private readonly mime = new GrowInt32();
  private readonly bytes = new GrowFloat64();
  private readonly modified = new GrowFloat64();
  /** Names that were asked for, by number of the text. */
  private readonly names: (string | undefined)[] = [];

  /** Puts a row at a number, which may be the one after the last. */
  put(n: number, source: string, doc: ItemRow, json: string): void {
    const word = (w: string | undefined): number => (w === undefined ? -1 : this.words.of(w));
    put(this.text, n, this.texts.add(json));
    put(this.source, n, this.sources.of(source));
    put(this.isFile, n, doc.kind === 'file' ? 1 : 0);
    put(this.label, n, word(doc.label));
    put(this.mime, n, word(doc.mime));
    put(this.bytes, n, doc.bytes ?? NaN);
    put(this.modified, n, doc.modifiedAt === undefined ? NaN : Date.parse(doc.modifiedAt));
  }

  /**
   * The items that have these rows, as they are now; what is put later does not show. `named`: a row as the
   * organisation names things.
   */
  items(rows: Int32Array, named: (source: string, doc: ItemRow) => ItemRow): Items {
    const of = (column: GrowInt32): Int32Array => rows.map((r) => column.at(r));
    const [text, source, label, mime] = [this.text, this.source, this.label, this.mime].map(of) as [
      Int32Array,
      Int32Array,
      Int32Array,
      Int32Array,
    ];
    const doc = (i: number): ItemRow => JSON.parse(this.texts.at(text[i]!)) as ItemRow;
    const { names, words, sources } = this;
    return {
      length: rows.length,
      row: (i) => named(sources.names[source[i]!]!, doc(i)),
      name: (i) => (names[text[i]!] ??= doc(i).name),
      label: (i) => words.names[label[i]!],
      mime: (i) => words.names[mime[i]!],
      version: text,
      isFile: Uint8Array.from(rows, (r) => this.isFile.at(r)),
      bytes: Float64Array.from(rows, (r) => this.bytes.at(r)),
      modified: Float64Array.from(rows, (r) => this.modified.at(r)),
    };
  }

  /** Keeps the rows of some numbers, in this order. */
  pick(order: Int32Array): void {
    for (const column of [
      this.text,
      this.source,
      this.isFile,
      this.label,
      this.mime,
      this.bytes,
      this.modified,
    ])
      column.pick(order);
  }

  /** All rows, not copied: what `restore` takes. It holds until another row is put. */
  state(): unknown[] {
    return FLAT.map((k) => this[k].state());
  }

  restore(state: unknown[]): void {
    FLAT.forEach((k, n) => this[k].restore(state[n] as never));
  }
}

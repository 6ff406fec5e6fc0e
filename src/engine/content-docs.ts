/** What is known of what files hold, by number of the item's id. Most files hold nothing: equal texts are kept once. */
import { GrowInt32 } from '../core/access/growable.ts';
import type { Found } from '../core/recognise/types.ts';
import type { ContentDoc } from '../store/observed.ts';
import { PackedTexts } from './packed.ts';

/** Longer texts are looked at too seldom twice to be told apart. */
const SHORT = 200;

export class ContentDocs {
  private readonly texts = new PackedTexts();
  private readonly numberOf = new Map<string, number>();
  /** By number of an id: number of its text; −1 where there is none. */
  private readonly text = new GrowInt32();
  private readonly parsed: (ContentDoc | undefined)[] = [];

  put(n: number, json: string): void {
    let text = this.numberOf.get(json);
    if (text === undefined) {
      text = this.texts.add(json);
      if (json.length < SHORT) this.numberOf.set(json, text);
    }
    while (this.text.length <= n) this.text.push(-1);
    this.text.set(n, text);
  }

  drop(n: number): void {
    if (n < this.text.length) this.text.set(n, -1);
  }

  /** What is known of each of some ids, by place; what is put later does not show. */
  of(ids: Int32Array): (place: number) => ContentDoc | undefined {
    const known = this.text.state();
    const text = ids.map((n) => known[n] ?? -1);
    return (place) => {
      const t = text[place]!;
      return t < 0 ? undefined : (this.parsed[t] ??= withLevels(JSON.parse(this.texts.at(t)) as ContentDoc));
    };
  }

  /** All of it, not copied: what `restore` takes. It holds until something is put. */
  state(): unknown[] {
    return [this.texts.state(), this.text.state()];
  }

  restore([texts, text]: unknown[]): void {
    this.texts.restore(texts as never);
    this.text.restore(text as never);
    for (let t = 0; t < this.texts.length; t++) {
      const json = this.texts.at(t);
      if (json.length < SHORT) this.numberOf.set(json, t);
    }
  }
}

/** Scans of before levels were kept count with the certainty of their surest. */
function withLevels(doc: ContentDoc): ContentDoc {
  for (const f of doc.found as Partial<Found>[]) f.levels ??= [[f.certainty!, f.occurrences!, f.distinct!]];
  return doc;
}

/** Many words at once: one pass over the text, whatever the words (Aho and Corasick, CACM 18:6, 1975). */

/** Letters in their small form where that is one character too, so that offsets stay what they are. */
export function folded(text: string): string {
  const small = text.toLowerCase();
  if (small.length === text.length) return small;
  let out = '';
  for (const unit of text.split('')) {
    const s = unit.toLowerCase();
    out += s.length === 1 ? s : unit;
  }
  return out;
}

export class WordList {
  /** The next state by state × 2¹⁶ + code unit. */
  private readonly next = new Map<number, number>();
  private readonly fallback: Int32Array;
  /** Length of the longest word that ends in a state, 0 for none; and the next shorter one's state. */
  private readonly length: Int32Array;
  private readonly shorter: Int32Array;
  private readonly begins = new Uint8Array(65536);

  /** Words as they are to be met: folded already where case does not count. Empty ones are left out. */
  constructor(words: Iterable<string>) {
    const ends: number[] = [0];
    const parent: number[] = [0];
    const via: number[] = [0];
    for (const word of words) {
      let at = 0;
      for (let i = 0; i < word.length; i++) {
        const key = at * 65536 + word.charCodeAt(i);
        let to = this.next.get(key);
        if (to === undefined) {
          to = ends.length;
          ends.push(0);
          parent.push(at);
          via.push(word.charCodeAt(i));
          this.next.set(key, to);
        }
        at = to;
      }
      if (at > 0) {
        ends[at] = word.length;
        this.begins[word.charCodeAt(0)] = 1;
      }
    }
    const states = ends.length;
    this.length = Int32Array.from(ends);
    this.fallback = new Int32Array(states);
    this.shorter = new Int32Array(states);
    // by depth: what a state falls back to is less deep
    const depth = new Int32Array(states);
    for (let s = 1; s < states; s++) depth[s] = depth[parent[s]!]! + 1;
    const order = Array.from({ length: states }, (_, s) => s).sort((a, b) => depth[a]! - depth[b]!);
    for (const s of order) {
      if (depth[s]! < 2) continue;
      let f = this.fallback[parent[s]!]!;
      let to = this.next.get(f * 65536 + via[s]!);
      while (to === undefined && f > 0) {
        f = this.fallback[f]!;
        to = this.next.get(f * 65536 + via[s]!);
      }
      const back = to ?? 0;
      this.fallback[s] = back;
      this.shorter[s] = this.length[back]! > 0 ? back : this.shorter[back]!;
    }
  }

  /**
   * Goes through a text from a place, in the state that the text before it left (0 at the beginning);
   * gives the state it leaves. Calls `visit` with where a word ends and its length, longest first; one
   * that returns true has had enough of those that end there.
   */
  feed(text: string, from: number, state: number, visit: (end: number, length: number) => boolean): number {
    for (let i = from; i < text.length; i++) {
      const code = text.charCodeAt(i);
      if (state === 0 && this.begins[code] === 0) continue;
      let to = this.next.get(state * 65536 + code);
      while (to === undefined && state > 0) {
        state = this.fallback[state]!;
        to = this.next.get(state * 65536 + code);
      }
      state = to ?? 0;
      let at = this.length[state]! > 0 ? state : this.shorter[state]!;
      for (; at > 0; at = this.shorter[at]!) if (visit(i + 1, this.length[at]!)) break;
    }
    return state;
  }
}

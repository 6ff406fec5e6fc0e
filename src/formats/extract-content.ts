/** What the files of an extract hold, scanned as their text streams by. */
import type { Part } from '../core/model.ts';
import type { Scanner } from '../core/recognise/scan.ts';
import type { Found } from '../core/recognise/types.ts';

export class ExtractContent {
  private readonly names = new Map<string, string>();
  private readonly scanners = new Map<string, Scanner>();
  /** Items that had text, whether or not anything was found in it; and the scanner at work. */
  private readonly scanned = new Set<string>();
  private open: { item: string; scanner: Scanner } | undefined;

  constructor(private readonly newScanner: () => Scanner) {}

  file(id: string, name: string): void {
    this.names.set(id, name);
  }

  /** A piece of text of an item; one without a part goes on with the one before. */
  text(item: string, part: Part | undefined, text: string): void {
    if (this.open?.item !== item) {
      this.park();
      this.open = { item, scanner: this.scanners.get(item) ?? this.newScanner() };
      this.scanned.add(item);
    }
    if (part) this.open.scanner.begin(part);
    this.open.scanner.feed(text);
  }

  /** Keeps a scanner that has met something: the item's text may go on further down. */
  private park(): void {
    if (this.open && !this.open.scanner.idle) this.scanners.set(this.open.item, this.open.scanner);
    this.open = undefined;
  }

  /** What was found, file by file, by their names too. */
  *finish(): Generator<{ item: string; scanned: boolean; found: Found[] }> {
    this.park();
    for (const [item, name] of this.names) {
      const scanner = this.scanners.get(item) ?? this.newScanner();
      scanner.fileName(name);
      yield { item, scanned: this.scanned.has(item), found: scanner.finish() };
    }
  }
}

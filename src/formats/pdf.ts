/** The text of PDF (ISO 32000): pages, fields, comments, properties and files within. */
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';

export interface PdfSink {
  /** Returns false where no more is wanted. */
  page(number: number, text: string): boolean;
  comment(text: string): void;
  metadata(text: string): void;
  file(name: string, bytes: Uint8Array): Promise<void>;
  left(reason: string): void;
}

const PAGES = 5000;
let home: string | undefined;

/** Reads one PDF; what is locked or damaged is said and not thrown. */
export async function readPdf(bytes: Uint8Array, sink: PdfSink): Promise<void> {
  const { getDocument, VerbosityLevel } = await import('pdfjs-dist/legacy/build/pdf.mjs');
  home ??= dirname(createRequire(import.meta.url).resolve('pdfjs-dist/package.json'));
  const task = getDocument({
    // it takes the bytes over
    data: Uint8Array.from(bytes),
    isEvalSupported: false,
    disableFontFace: true,
    useSystemFonts: false,
    useWorkerFetch: false,
    verbosity: VerbosityLevel.ERRORS,
    cMapUrl: join(home, 'cmaps/'),
    cMapPacked: true,
    standardFontDataUrl: join(home, 'standard_fonts/'),
  });
  try {
    const doc = await task.promise;
    if (doc.numPages > PAGES) sink.left(`only the first ${PAGES} pages`);
    for (let n = 1; n <= Math.min(doc.numPages, PAGES); n++) {
      const page = await doc.getPage(n);
      const { items } = await page.getTextContent({ disableNormalization: false });
      const lines = items.map((item) => ('str' in item ? item.str + (item.hasEOL ? '\n' : '') : ''));
      const fields: string[] = [];
      for (const a of (await page.getAnnotations()) as Annotation[]) {
        if (typeof a.fieldValue === 'string' && a.fieldValue) fields.push(`${a.fieldName}: ${a.fieldValue}`);
        if (a.contentsObj?.str) sink.comment(`${a.contentsObj.str}\n`);
      }
      page.cleanup();
      if (!sink.page(n, [lines.join(''), ...fields, ''].join('\n'))) return;
    }
    const { info } = await doc.getMetadata();
    const said = Object.entries(info as Record<string, unknown>).filter(([, v]) => typeof v === 'string');
    sink.metadata(said.map(([k, v]) => `${k}: ${String(v)}\n`).join(''));
    const attached = ((await doc.getAttachments()) ?? {}) as Record<string, { content?: Uint8Array }>;
    for (const [name, { content }] of Object.entries(attached)) if (content) await sink.file(name, content);
  } catch (e) {
    sink.left((e as Error).name === 'PasswordException' ? 'a PDF that is locked' : 'a PDF that is damaged');
  } finally {
    await task.destroy();
  }
}

interface Annotation {
  fieldName?: string;
  fieldValue?: unknown;
  contentsObj?: { str: string };
}

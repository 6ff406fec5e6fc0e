/** Bulk extracts as a source: their rows staged as they stream by, their content scanned. */
import type { JobStep } from '../../dto/jobs.ts';
import type { Scanner } from '../../core/recognise/scan.ts';
import { ExtractContent } from '../../formats/extract-content.ts';
import { ExtractError, placeOf, readExtract } from '../../formats/extract.ts';
import { KINDS } from '../../core/row-kinds.ts';
import { GroupsByRule } from '../../formats/group-rules.ts';
import { ConnectorError } from '../../connectors/port.ts';
import type { Db } from '../../store/db.ts';
import type { Intake } from '../../store/intake.ts';
import { stageActivity, type ObservedKind, type StagedRow } from '../../store/observed.ts';
import type { StepName } from './steps.ts';
import type { SurveySource } from './order.ts';

interface Work {
  db: Db;
  intake: Intake;
  extracts: readonly SurveySource[];
  inStep(name: StepName, work: (step: JobStep) => Promise<void>): Promise<void>;
  /** Does one source's part: where it fails the survey goes on without it. */
  ofSource(step: JobStep, source: string, work: () => Promise<void>): Promise<void>;
  fail(step: JobStep, object: string, reason: string): Promise<void>;
  tell(): void;
  newScanner(): Scanner;
}

const AT_ONCE = 5000;

/** Stages every extract; gives the moment at which the last of them was taken. */
export async function stageExtract(w: Work): Promise<string> {
  let takenAt = '';
  await w.inStep('extracts', async (step) => {
    for (const source of w.extracts)
      await w.ofSource(step, source.id, async () => {
        try {
          const taken = await stageOne(w, step, source);
          if (taken > takenAt) takenAt = taken;
        } catch (e) {
          if (!(e instanceof ExtractError)) throw e;
          throw new ConnectorError('not-understood', `${source.id}: ${e.message}`);
        }
      });
  });
  return takenAt;
}

async function stageOne(w: Work, step: JobStep, source: SurveySource): Promise<string> {
  const { db, intake } = w;
  let waiting: StagedRow[] = [];
  let deeds: { source: string; item: string; actor: string; opened: number | null; edited: number | null }[] =
    [];
  const rules = new GroupsByRule();
  const content = new ExtractContent(() => w.newScanner());
  const put = (kind: ObservedKind, id: string, doc: unknown): void => {
    waiting.push({ kind, source: source.id, id, doc });
    step.done++;
  };
  const flush = async (): Promise<void> => {
    const rows = waiting;
    waiting = [];
    await intake.put(rows);
    const events = deeds;
    deeds = [];
    await stageActivity(db, events);
    w.tell();
  };
  for (const kind of ['about', ...KINDS, 'content'] as const) await intake.whole(kind, source.id);
  const report = await readExtract(source.url, {
    manifest(m) {
      const organisation = m.organisation;
      for (const workspace of m.workspaces) put('about', workspace.id, { organisation, workspace });
    },
    row(kind, row, raw) {
      if (kind === 'person') rules.user(raw as { id: string });
      if (kind === 'group' && rules.group(row as never)) return;
      if (kind === 'item') {
        const item = row as { id: string; kind: string; name: string };
        if (item.kind === 'file') content.file(item.id, item.name);
      }
      put(kind, row.id, row);
    },
    text: (item, part, text) => content.text(item, part, text),
    deed: (d) => void deeds.push({ source: source.id, ...d }),
    full: () => (waiting.length >= AT_ONCE || deeds.length >= AT_ONCE ? flush() : undefined),
  });
  for (const { group, complaint } of rules.resolve()) {
    put('group', group.id, group);
    if (complaint) await w.fail(step, group.id, complaint);
  }
  for (const { item, scanned, found } of content.finish()) {
    put('content', item, { state: scanned ? 'scanned' : 'name-only', found });
    step.done--;
    if (waiting.length >= AT_ONCE) await flush();
  }
  await flush();
  for (const { first, count } of [report.rejected, report.remarks]) {
    for (const c of first) await w.fail(step, placeOf(c), c.reason);
    if (count > first.length)
      await w.fail(step, source.id, `${count - first.length} more lines have something wrong with them`);
  }
  return new Date(report.manifest.takenAt).toISOString();
}

/** A table as a file: what is held to in the view is what is taken. */
import { Download } from 'lucide-react';
import { withQuery } from './api.ts';

export function TakeAway({ table, held }: { table: string; held: Record<string, string | number | undefined> }) {
  return (
    <span className="flex items-center gap-1 whitespace-nowrap text-xs text-quiet" role="group" aria-label="Take the table away">
      <Download size={13} aria-hidden />
      {(['csv', 'jsonl'] as const).map((format) => (
        <a
          key={format}
          className="rounded px-1 py-1 underline decoration-slate hover:decoration-current"
          href={withQuery('/api/export', { ...held, table, format })}
          download
          title={format === 'csv' ? 'The whole table for a spreadsheet' : 'The whole table as JSON Lines'}
        >
          {format === 'csv' ? 'CSV' : 'JSON Lines'}
        </a>
      ))}
    </span>
  );
} // prettier-ignore

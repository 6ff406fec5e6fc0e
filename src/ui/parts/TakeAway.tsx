/** A table as a file: what is held to in the view is what is taken. And the page on paper. */
import { Download } from 'lucide-react';
import { withQuery } from '../frame/api.ts';
import { usePopup } from './filter.tsx';

const FORMATS = {
  csv: ['CSV', 'for any spreadsheet; nothing in it is run'],
  xlsx: ['XLSX', 'a workbook'],
  jsonl: ['JSON Lines', 'one row a line'],
  ocsf: ['OCSF', 'events of the Open Cybersecurity Schema Framework'],
} as const;

export function TakeAway({
  table,
  held,
}: {
  table: string;
  held: Record<string, string | number | undefined>;
}) {
  const { open, setOpen, holder } = usePopup();
  const formats = ['csv', 'xlsx', 'jsonl', ...(table === 'findings' ? (['ocsf'] as const) : [])] as const;
  return (
    <span className="relative" ref={holder}>
      <button
        className="btn btn-sm btn-ghost gap-1 px-1.5 font-normal"
        aria-expanded={open}
        title="Take the table away as a file"
        onClick={() => setOpen(!open)}
      >
        <Download size={14} aria-hidden /> Take away
      </button>
      {open && (
        <ul
          role="group"
          aria-label="Take the table away"
          className="absolute right-0 top-full z-30 mt-1 w-72 rounded border border-slate bg-base-100 py-1 shadow-lg"
        >
          {formats.map((format) => (
            <li key={format}>
              <a
                className="flex gap-3 px-3 py-1 hover:bg-base-200"
                href={withQuery('/api/export', { ...held, table, format })}
                download
                onClick={() => setOpen(false)}
              >
                <b className="w-20">{FORMATS[format][0]}</b>
                <span className="truncate text-quiet">{FORMATS[format][1]}</span>
              </a>
            </li>
          ))}
          <li>
            <button
              className="flex w-full cursor-pointer gap-3 px-3 py-1 text-left hover:bg-base-200"
              onClick={() => {
                setOpen(false);
                setTimeout(() => print(), 50);
              }}
            >
              <b className="w-20">Paper</b>
              <span className="truncate text-quiet">print it, or keep it as a PDF</span>
            </button>
          </li>
        </ul>
      )}
    </span>
  );
}

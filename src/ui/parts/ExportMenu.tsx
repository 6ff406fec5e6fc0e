/** A table exported as a file, held to just what the view is held to; or the page printed. */
import { Download } from 'lucide-react';
import type { z } from 'zod';
import type { TABLE_QUERIES, TableName } from '../../dto/tables.ts';
import { withQuery } from '../frame/api.ts';
import { Menu, MenuItem, MenuLine, MenuLink } from './Menu.tsx';

const FORMATS = {
  csv: ['CSV', 'for any spreadsheet; formulas are neutralised'],
  xlsx: ['XLSX', 'a workbook'],
  jsonl: ['JSON Lines', 'one row per line'],
  ocsf: ['OCSF', 'security events (Open Cybersecurity Schema Framework)'],
} as const;

export function ExportMenu<T extends TableName>({
  table,
  query,
}: {
  table: T;
  /** What the view asks its rows with. */
  query: { [K in keyof z.input<(typeof TABLE_QUERIES)[T]>]?: string | number | boolean | undefined };
}) {
  const formats = (['csv', 'xlsx', 'jsonl', 'ocsf'] as const).filter(
    (f) => f !== 'ocsf' || table === 'findings',
  );
  return (
    <Menu
      label="Export"
      button={
        <button className="btn btn-sm btn-ghost gap-1 px-1.5 font-normal" title="Export this table">
          <Download size={14} aria-hidden /> Export
        </button>
      }
    >
      {formats.map((format) => (
        <MenuLink key={format} href={withQuery('/api/export', { ...query, table, format })} download>
          <b className="w-20">{FORMATS[format][0]}</b>
          <span className="text-quiet">{FORMATS[format][1]}</span>
        </MenuLink>
      ))}
      <MenuLine />
      <MenuItem run={() => setTimeout(() => print(), 50)}>
        <b className="w-20">Print</b>
        <span className="text-quiet">on paper, or save as PDF</span>
      </MenuItem>
    </Menu>
  );
}

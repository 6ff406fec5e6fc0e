/** A column of a table, as a view declares it. */
import type { ReactNode } from 'react';
import type { SortValue } from './sort.ts';

export interface Column<Row> {
  key: string;
  name: string;
  /** A CSS grid track. */
  width: string;
  right?: boolean;
  /** The header sorts by it, where the rows are ordered by whoever asks for them. */
  sorts?: boolean;
  /** What it holds as a value: sorted by in the page where the table says so, and copied. */
  value?: (row: Row) => SortValue;
  cell(row: Row): ReactNode;
}

/** What can be told of a file before it is read. */
import type { ItemRow } from '../../core/model.ts';

/** Media types of files that hold no text that is read. */
export const withoutText = (pictures: boolean): RegExp =>
  pictures ? /^(?:video|audio|font)\// : /^(?:image|video|audio|font)\//;

/** Whether a file's kind can hold text that is read. Others are known by their names alone. */
export const mayHoldText = (item: ItemRow, pictures: boolean): boolean =>
  item.kind === 'file' && !withoutText(pictures).test(item.mime ?? '');

/** What changes when a file does; undefined where the workspace does not say. */
export const versionOf = (item: ItemRow): string | undefined =>
  item.modifiedAt && JSON.stringify([item.modifiedAt, item.bytes, item.name, item.mime]);

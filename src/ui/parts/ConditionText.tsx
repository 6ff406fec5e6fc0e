/** A condition as text: what could come next, what is wrong with it, and what its words are. */
import { FIELDS, HOLDERS, type Field, type Filtered } from '../../core/filter/fields.ts';
import { get } from '../frame/api.ts';
import type { EditorProps, Offer, Wrong } from './CodeEditor.tsx';
import { Editor } from './Editor.tsx';

/** A field of a table; undefined where there is none. */
export const fieldOf = (table: Filtered, name: string): Field | undefined =>
  (FIELDS[table] as Record<string, Field>)[name];

/** A suggestion, shown without what only opens a call. */
const offer = (put: string, from: number, about = ''): Offer => ({
  put,
  label: put.replace(/\(.*$|\.contains.*/, '').trim(),
  from,
  about,
});

/** Suggestions: fields, and after a comparison the values of the field. */
export function offersFor(table: Filtered, typed: string): Offer[] {
  const compared = /(\w+)\s*(?:==|!=|<=|>=|<|>)\s*("?[\w-]*)$/.exec(typed);
  const field = compared && fieldOf(table, compared[1]!);
  if (field) {
    const from = typed.length - compared[2]!.length;
    const offers = field.offers ?? (field.type === 'bool' ? ['true', 'false'] : []);
    return offers
      .filter((o) => o.toLowerCase().startsWith(compared[2]!.toLowerCase()) && o !== compared[2])
      .map((put) => offer(put, from));
  }
  const word = /([A-Za-z]\w*)$/.exec(typed)?.[1];
  if (!word) return [];
  const from = typed.length - word.length;
  const listAfterIn = /["\w]\s+in\s+\w*$/.test(typed);
  const holds =
    (HOLDERS as readonly Filtered[]).includes(table) && 'holds'.startsWith(word.toLowerCase())
      ? [offer('holds("', from, 'whether a file holds a data type, or one of a pack: holds("pack:…")')]
      : [];
  const fields = Object.entries<Field>(FIELDS[table])
    .filter(
      ([name, f]) =>
        name.toLowerCase().startsWith(word.toLowerCase()) && (!listAfterIn || f.type === 'list<string>'),
    )
    .map(([name, f]) =>
      offer(
        listAfterIn || f.type === 'bool'
          ? name
          : f.type === 'list<string>'
            ? `${name}.exists(x, x.contains("`
            : f.type === 'string' && !f.offers
              ? `${name}.contains("`
              : `${name} ${f.type === 'string' ? '==' : '>='} `,
        from,
        f.about,
      ),
    );
  return [...fields, ...holds];
}

/** What is wrong with a condition on a table, as the API says it, and where the word stands that it names. */
export async function wrongIn(table: Filtered, where: string): Promise<Wrong | undefined> {
  if (!where.trim()) return undefined;
  try {
    await get('/api/filter', { table, where });
    return undefined;
  } catch (e) {
    const message = (e as Error).message.replace(/^where: /, '');
    const word = /“(\w+)”/.exec(message)?.[1];
    const from = word === undefined ? -1 : where.search(new RegExp(`\\b${word}\\b`));
    return from < 0 ? { message } : { message, from, to: from + word!.length };
  }
}

/** A condition as text, in an editor that knows the fields of the table. */
export const ConditionText = ({
  table,
  ...editor
}: { table: Filtered } & Pick<EditorProps, 'value' | 'change' | 'label' | 'focus' | 'hint' | 'done'>) => (
  <Editor
    {...editor}
    offers={(before) => offersFor(table, before)}
    check={(t) => wrongIn(table, t)}
    about={(word) => fieldOf(table, word)?.about}
  />
);

/** What stands above tables and pages: what they are held to, and the way back. */
import { ArrowLeft } from 'lucide-react';

/** What a table is held to, of a few. The first is what it shows unless one chooses otherwise, and stands in no address. */
export const Choose = ({
  label,
  width,
  value,
  of,
  choose,
}: {
  label: string;
  width: string;
  value: string | number | undefined;
  of: readonly (readonly [value: string | number, words: string])[];
  /** Undefined: the first. */
  choose: (value: string | undefined) => void;
}) => (
  <select
    className={`select select-sm ${width}`}
    aria-label={label}
    value={value ?? of[0]?.[0]}
    onChange={(e) => choose(e.target.value === String(of[0]?.[0]) ? undefined : e.target.value)}
  >
    {of.map(([v, words]) => (
      <option key={v} value={v}>
        {words}
      </option>
    ))}
  </select>
);

/** What a table is held to by a text that it has to contain. */
export const Find = ({
  of,
  text,
  find,
}: {
  /** What is searched, as in “Find in hits”. */
  of: string;
  text: string | undefined;
  /** Undefined: everything. */
  find: (text: string | undefined) => void;
}) => (
  <input
    type="search"
    className="input input-sm w-32"
    aria-label={`Find in ${of}`}
    placeholder="find …"
    defaultValue={text}
    onChange={(e) => find(e.target.value || undefined)}
  />
);

/** From one thing back to all of them. */
export const Back = ({ to, go }: { to: string; go: () => void }) => (
  <button className="btn btn-sm btn-ghost btn-square" aria-label={to} onClick={go}>
    <ArrowLeft size={15} aria-hidden />
  </button>
);

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

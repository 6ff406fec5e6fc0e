/** Some of a few, each to be ticked; never none of them. */
export const Several = <T extends string>({
  of,
  chosen,
  change,
}: {
  of: readonly (readonly [value: T, words: string])[];
  chosen: readonly T[];
  change: (chosen: T[]) => void;
}) => (
  <div className="flex flex-wrap gap-x-4 gap-y-1">
    {of.map(([value, words]) => (
      <label key={value} className="flex items-center gap-1.5">
        <input
          type="checkbox"
          className="checkbox checkbox-xs"
          checked={chosen.includes(value)}
          onChange={(e) => {
            const next = e.target.checked ? [...chosen, value] : chosen.filter((v) => v !== value);
            if (next.length) change(next);
          }}
        />
        {words}
      </label>
    ))}
  </div>
);

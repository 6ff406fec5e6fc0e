/** A choice of one of a few, each with what it means. */
export function OneOf({
  label,
  of,
  chosen,
  choose,
}: {
  label: string;
  of: readonly { id: string; name: string; description: string }[];
  chosen: string | undefined;
  choose: (id: string) => void;
}) {
  return (
    <fieldset>
      <legend className="font-semibold">{label}</legend>
      {of.map((o) => (
        <label key={o.id} className="flex cursor-pointer items-start gap-2 py-1.5">
          <input
            type="radio"
            name={label}
            className="radio radio-sm mt-0.5"
            checked={chosen === o.id}
            onChange={() => choose(o.id)}
          />
          <span>
            <b>{o.name}</b> <span className="text-quiet">{o.description}</span>
          </span>
        </label>
      ))}
    </fieldset>
  );
}

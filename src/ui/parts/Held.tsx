/** What an account is limited to: in words, and choosing it. */
import { useQuery } from '@tanstack/react-query';
import { X } from 'lucide-react';
import { useState } from 'react';
import { namesNothing, type Held } from '../../dto/accounts.ts';
import { ask } from '../frame/api.ts';
import { Dialog, DialogEnd } from './Dialog.tsx';
import { ownId } from './held-words.ts';
import { Trouble } from './marks.tsx';

const NONE: Held = { workspaces: [], departments: [], spaces: [] };
export function HeldDialog({
  name,
  held,
  close,
  save,
}: {
  name: string;
  held: Held | null;
  close: () => void;
  save: (held: Held | null) => Promise<void>;
}) {
  const { data, error } = useQuery(ask('/api/accounts/parts'));
  const [part, setPart] = useState(held ?? NONE);
  const [text, setText] = useState('');
  const [trouble, setTrouble] = useState<Error>();
  const found = useQuery({ ...ask('/api/search', { text, limit: 30 }), enabled: text.trim().length > 1 });
  const flip = (kind: keyof Held, id: string) =>
    setPart((p) => ({
      ...p,
      [kind]: p[kind].includes(id) ? p[kind].filter((x) => x !== id) : [...p[kind], id],
    }));
  const choices = (
    kind: 'workspaces' | 'departments',
    legend: string,
    of: { id: string; name: string }[],
  ) => (
    <fieldset className="min-w-0 flex-1">
      <legend className="mb-1 font-semibold">{legend}</legend>
      <div className="max-h-48 overflow-auto">
        {of.map(({ id, name: label }) => (
          <label key={id} className="flex items-center gap-2 py-0.5">
            <input
              type="checkbox"
              className="checkbox checkbox-sm"
              checked={part[kind].includes(id)}
              onChange={() => flip(kind, id)}
            />
            <span className="truncate">{label}</span>
          </label>
        ))}
      </div>
    </fieldset>
  );
  const send = (next: Held | null) => void save(next).catch((e: unknown) => setTrouble(e as Error));
  return (
    <Dialog title={`Limit ${name} to a part`} close={close} size="medium">
      <div className="flex flex-col gap-4 p-4">
        <p>They see and do only what is in any of these. Everything else is not there for them.</p>
        {error && <Trouble error={error} />}
        {data && (
          <div className="flex gap-6">
            {choices('workspaces', 'Workspaces', data.workspaces)}
            {choices(
              'departments',
              'Departments: what their people own',
              data.departments.map((d) => ({ id: d, name: d })),
            )}
          </div>
        )}
        <div>
          <label htmlFor="held-spaces" className="font-semibold">
            Spaces
          </label>
          {part.spaces.length > 0 && (
            <ul className="my-1 flex flex-wrap gap-1">
              {part.spaces.map((id) => (
                <li
                  key={id}
                  className="flex items-center gap-1 rounded border border-slate bg-base-200 px-2 text-[13px]"
                >
                  {ownId(id)}
                  <button
                    className="cursor-pointer"
                    aria-label={`Remove ${ownId(id)}`}
                    onClick={() => flip('spaces', id)}
                  >
                    <X size={13} aria-hidden />
                  </button>
                </li>
              ))}
            </ul>
          )}
          <input
            id="held-spaces"
            className="input input-sm w-full"
            placeholder="Find a space by name"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
          <ul className="max-h-36 overflow-auto">
            {found.data
              ?.filter((f) => f.kind === 'space' && !part.spaces.includes(f.key.slice('space:'.length)))
              .map((f) => (
                <li key={f.key}>
                  <button
                    className="flex w-full cursor-pointer gap-2 px-1 py-1 text-left hover:bg-base-200"
                    onClick={() => flip('spaces', f.key.slice('space:'.length))}
                  >
                    {f.name} <span className="text-quiet">{f.detail}</span>
                  </button>
                </li>
              ))}
          </ul>
        </div>
        {trouble && <Trouble error={trouble} />}
        <DialogEnd close={close}>
          {held && (
            <button className="btn btn-sm" onClick={() => send(null)}>
              Remove the limit
            </button>
          )}
          <button className="btn btn-sm btn-primary" disabled={namesNothing(part)} onClick={() => send(part)}>
            Save
          </button>
        </DialogEnd>
      </div>
    </Dialog>
  );
}

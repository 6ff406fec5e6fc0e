/** Choosing what a new policy begins with. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { policySchema, type Policy } from '../../../../core/guard/schema.ts';
import { ask } from '../../../frame/api.ts';
import { Dialog, DialogEnd } from '../../../parts/Dialog.tsx';
import { plural, Trouble } from '../../../parts/marks.tsx';

/** The largest file that is read, in bytes. */
const LARGEST = 1_000_000;
/** So much is told of what is wrong. */
const TOLD = 5;

/** Reads a policy from a file, or says all that is wrong with it. */
async function readFile(file: File): Promise<{ policy?: Policy; wrong?: string }> {
  if (file.size > LARGEST) return { wrong: 'It has more than a megabyte.' };
  try {
    const read = policySchema.safeParse(JSON.parse(await file.text()));
    if (read.success) return { policy: read.data };
    const { issues } = read.error;
    const told = issues.slice(0, TOLD).map((i) => `${i.path.join('.')}: ${i.message}`.replace(/^: /, ''));
    return {
      wrong: [...told, ...(issues.length > TOLD ? [`and ${issues.length - TOLD} more`] : [])].join('; '),
    };
  } catch {
    return { wrong: 'It is not JSON.' };
  }
}

export function Starters({
  close,
  choose,
}: {
  close: () => void;
  /** Nothing where one begins with an empty policy. */
  choose: (policy?: Policy) => void;
}) {
  const { data, error } = useQuery(ask('/api/policies/starters'));
  const [text, setText] = useState('');
  const [wrong, setWrong] = useState<string>();
  const wanted = text.toLowerCase();
  const fit = data?.filter(({ theme, policy: p }) =>
    [theme, p.name, p.purpose ?? '', ...p.rules.map((r) => r.name)].some((t) =>
      t.toLowerCase().includes(wanted),
    ),
  );
  const themes = [...new Set(fit?.map((s) => s.theme))];
  return (
    <Dialog title="New policy" size="medium" close={close}>
      <div className="px-4 pt-3">
        <p>
          Begin with one of these and change what you like. Every rule observes at first: it shows what it
          would hit, and touches nothing.
        </p>
        <input
          className="input input-sm mt-2 w-full"
          type="search"
          aria-label="Find a starter"
          placeholder="find: cards, guests, links without an end …"
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </div>
      {error && <Trouble error={error} />}
      <div className="max-h-[56dvh] overflow-auto px-4 py-2">
        {themes.map((theme) => (
          <section key={theme} aria-label={theme} className="mb-2">
            <h3 className="py-1 font-bold">{theme}</h3>
            <ul>
              {fit!
                .filter((s) => s.theme === theme)
                .map((s) => (
                  <li key={s.id}>
                    <button
                      className="block w-full cursor-pointer rounded px-2 py-1.5 text-left hover:bg-base-200"
                      onClick={() => choose(s.policy)}
                    >
                      <span className="flex gap-2">
                        <span className="flex-1 font-medium">{s.policy.name}</span>
                        <span className="text-quiet">{plural(s.policy.rules.length, 'rule')}</span>
                      </span>
                      <span className="block text-quiet">{s.policy.purpose}</span>
                    </button>
                  </li>
                ))}
            </ul>
          </section>
        ))}
        {fit?.length === 0 && (
          <p className="py-2 text-quiet">No starter matches. Begin with an empty policy.</p>
        )}
      </div>
      <div className="border-t border-slate px-4 py-2.5">
        {wrong && <Trouble error={wrong} />}
        <DialogEnd close={close}>
          <label className="btn btn-sm">
            From a file …
            <input
              type="file"
              accept=".json,application/json"
              className="sr-only"
              onChange={(e) => {
                const file = e.target.files?.[0];
                e.target.value = '';
                if (!file) return;
                void readFile(file).then(({ policy, wrong: why }) =>
                  policy ? choose(policy) : setWrong(`${file.name} is no policy that can be read. ${why}`),
                );
              }}
            />
          </label>
          <button className="btn btn-sm" onClick={() => choose()}>
            Empty policy
          </button>
        </DialogEnd>
      </div>
    </Dialog>
  );
}

/** What could be done to one thing, the cheapest first, each with whom it would hurt; and what cannot, with the nearest. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { ObjectKey } from '../../core/remedy/plan.ts';
import { ask } from '../frame/api.ts';
import { Dialog } from './Dialog.tsx';
import { plural, Trouble } from './marks.tsx';
import { useSigned } from '../frame/signed.ts';
import { PickUpButton } from '../frame/Tray.tsx';

/** The button that opens them; nothing for whoever may not act. */
export function OptionsButton({ of, name, small = true }: { of: ObjectKey; name: string; small?: boolean }) {
  const { steward } = useSigned();
  const [open, setOpen] = useState(false);
  if (!steward) return null;
  return (
    <>
      <button
        className={`btn shrink-0 ${small ? 'btn-xs border-slate' : 'btn-sm'}`}
        aria-label={`Change ${name} …`}
        onClick={() => setOpen(true)}
      >
        {small ? 'Change …' : `Change ${name} …`}
      </button>
      {open && <Options of={of} name={name} close={() => setOpen(false)} />}
    </>
  );
}

function Options({ of, name, close }: { of: ObjectKey; name: string; close: () => void }) {
  const { kind, source, id } = of;
  const { data, error, refetch } = useQuery(ask('/api/holdings/options', { kind, source, id }));
  const can = data?.filter((o) => !o.cannot);
  const not = data?.filter((o) => o.cannot);
  return (
    <Dialog title={`What can be done to ${name}`} size="medium" close={close}>
      <div className="px-4 py-2">
        {error && <Trouble error={error} retry={() => void refetch()} />}
        {!data && !error && <p className="text-quiet">Working out what each would do …</p>}
        {can?.length === 0 && <p className="py-1">Its workspace does not let us change anything here.</p>}
        <ul>
          {can?.map((o) => (
            <li
              key={JSON.stringify(o.change)}
              className="flex items-center gap-3 border-b border-base-300 py-1.5"
            >
              <span className="min-w-0 flex-1">
                <span className="block font-medium break-words">{o.words}</span>
                <span className="block text-quiet">
                  {o.closes ? `closes ${plural(o.closes, 'point')}` : 'closes nothing'}; felt by{' '}
                  {[o.members && plural(o.members, 'member'), o.external && plural(o.external, 'outsider')]
                    .filter(Boolean)
                    .join(' and ') || 'nobody now'}
                </span>
              </span>
              <PickUpButton change={o.change} what={o.words} />
            </li>
          ))}
        </ul>
        {not && not.length > 0 && (
          <>
            <h3 className="mt-3 font-semibold">What cannot be done there</h3>
            <ul className="text-quiet">
              {not.map((o) => (
                <li key={JSON.stringify(o.change)} className="py-0.5">
                  {o.words}: {o.cannot}
                </li>
              ))}
            </ul>
          </>
        )}
      </div>
    </Dialog>
  );
}

/** Says what some spaces are for; a plan then sets them so. */
import { useState } from 'react';
import type { CharterBookDto } from '../../../../dto/charters.ts';
import { Dialog, DialogEnd } from '../../../parts/Dialog.tsx';
import { OneOf } from '../../../parts/OneOf.tsx';
import { plural, Trouble } from '../../../parts/marks.tsx';
import { useSpacesAct } from '../spaces/SpacesTable.tsx';

export default function Give({
  book,
  spaces,
  close,
}: {
  book: CharterBookDto;
  spaces: readonly string[];
  close: () => void;
}) {
  const [purpose, setPurpose] = useState<string>();
  const [sensitivity, setSensitivity] = useState<string>();
  const act = useSpacesAct(close);
  return (
    <Dialog
      title={`What ${spaces.length === 1 ? 'the space is' : `${plural(spaces.length, 'space')} are`} for`}
      close={close}
    >
      <div className="flex flex-col gap-4 p-4">
        <OneOf label="Purpose" of={book.purposes} chosen={purpose} choose={setPurpose} />
        <OneOf label="Sensitivity" of={book.sensitivities} chosen={sensitivity} choose={setSensitivity} />
        <p className="text-quiet">
          Where settings are otherwise, a plan is made that sets them so: you see what it does to whom before
          it begins.
        </p>
        {act.error && <Trouble error={act.error} />}
        <DialogEnd close={close}>
          <button
            className="btn btn-sm btn-primary"
            disabled={!purpose || !sensitivity || act.isPending}
            onClick={() =>
              act.mutate({
                act: 'charter',
                spaces: [...spaces],
                charter: { purpose: purpose!, sensitivity: sensitivity! },
              })
            }
          >
            Give the charter
          </button>
        </DialogEnd>
      </div>
    </Dialog>
  );
}

/** A dossier that can be pinned. */
import { useState } from 'react';

/** Which dossier is shown: the selected row's, unless another was pinned; `drop` unselects. */
export function usePinned<K>(
  selected: K | undefined,
  drop: () => void,
): { shown: K | undefined; pinning: { pinned: boolean; pin: () => void; close: () => void } } {
  const [pinned, setPinned] = useState<K>();
  const shown = pinned ?? selected;
  return {
    shown,
    pinning: {
      pinned: pinned !== undefined,
      pin: () => setPinned(pinned === undefined ? shown : undefined),
      close: () => {
        setPinned(undefined);
        drop();
      },
    },
  };
}

import { DialogEnd } from './Dialog.tsx';
import { useSay } from './Toasts.tsx';

/** A text that is shown once, to be copied. */
export function Copied({ label, text, close }: { label: string; text: string; close: () => void }) {
  const say = useSay();
  return (
    <>
      <input className="input w-full font-mono text-xs" readOnly aria-label={label} value={text} />
      <DialogEnd leave="Close" close={close}>
        <button
          className="btn btn-sm btn-primary"
          onClick={() => {
            navigator.clipboard.writeText(text).then(
              () => say(`${label} copied.`),
              () => say('The browser did not let it be copied: copy it from the field.'),
            );
          }}
        >
          Copy
        </button>
      </DialogEnd>
    </>
  );
}

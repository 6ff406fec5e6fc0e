/** Asks until which day something holds, and why. */
import type { z } from 'zod';
import type { acceptForm } from '../../dto/forms.ts';
import { useRefresh } from '../frame/signed.ts';
import { Dialog, DialogEnd } from './Dialog.tsx';
import { FormTrouble, TextField, useSchemaForm } from './form.tsx';

type Given = z.infer<typeof acceptForm>;

export function UntilDialog({
  title,
  about,
  button,
  schema,
  reason = '',
  save,
  close,
}: {
  title: string;
  /** What it comes to. */
  about: string;
  button: string;
  schema: z.ZodType<Given, Given>;
  /** What was said so far. */
  reason?: string;
  save: (given: Given) => Promise<unknown>;
  close: () => void;
}) {
  const refresh = useRefresh();
  const form = useSchemaForm(schema, { until: '', reason }, async (given) => {
    await save(given);
    refresh();
    close();
  });
  return (
    <Dialog title={title} close={close}>
      <form className="flex flex-col gap-3 p-4" onSubmit={form.submit} noValidate>
        <p className="text-quiet">{about}</p>
        <TextField form={form} name="until" label="Until" type="date" className="input input-sm w-44" />
        <TextField form={form} name="reason" label="Why" className="input input-sm w-full" />
        <FormTrouble form={form} />
        <DialogEnd close={close}>
          <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
            {button}
          </button>
        </DialogEnd>
      </form>
    </Dialog>
  );
}

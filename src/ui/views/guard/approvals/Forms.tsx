/** Approving or refusing an app, and answering whoever asks for one. */
import type { FieldPath, FieldValues, UseFormReturn } from 'react-hook-form';
import type { ApprovalForm, RequestRow } from '../../../../dto/approvals.ts';
import { answerRequestForm, approvalForm, passRequestForm } from '../../../../dto/approvals.ts';
import { send } from '../../../frame/api.ts';
import { useRefresh } from '../../../frame/signed.ts';
import { Dialog, DialogEnd } from '../../../parts/Dialog.tsx';
import { FormTrouble, TextField, useSchemaForm } from '../../../parts/form.tsx';
import { Names } from '../policies/ScopeFields.tsx';

/** For whom an approval is. */
const ForWhom = ({ groups, change }: { groups: readonly string[]; change: (groups: string[]) => void }) => (
  <div>
    <Names of="groups" label="For groups" names={groups} change={change} drop={() => change([])} />
    {groups.length === 0 && <p className="text-quiet">No group: it is approved for everybody.</p>}
  </div>
);

/** Until when it holds. */
const LastDay = <T extends FieldValues>({ form }: { form: UseFormReturn<T> }) => (
  <TextField
    form={form}
    name={'until' as FieldPath<T>}
    type="date"
    label="Until, with that day"
    hint="empty: until further notice"
    className="input w-44"
    rules={{ setValueAs: (v: string | null) => v || null }}
  />
);

/** Approves an app with what it may be let in for, or refuses it. */
export function ApprovalDialog({
  given,
  name,
  close,
}: {
  given: ApprovalForm;
  name: string;
  close: () => void;
}) {
  const refresh = useRefresh();
  const form = useSchemaForm(approvalForm, given, async (values) => {
    await send('PUT', '/api/apps/approvals', values);
    close();
    refresh();
  });
  const { approved, groups, scopes } = form.watch();
  return (
    <Dialog title={`${approved ? 'Approve' : 'Refuse'} ${name}`} close={close}>
      <form className="flex flex-col gap-3 p-4" onSubmit={form.submit} noValidate>
        {approved ? (
          <>
            <p>
              With {scopes.join(', ') || 'nothing'}. If it asks for more than that, it is not approved for
              that.
            </p>
            <ForWhom groups={groups} change={(g) => form.setValue('groups', g)} />
          </>
        ) : (
          <p>Policies can ask whether an app is refused: nothing is withdrawn by this alone.</p>
        )}
        <LastDay form={form} />
        <TextField form={form} name="reason" label="Why" />
        <FormTrouble form={form} />
        <DialogEnd close={close}>
          <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
            {approved ? 'Approve' : 'Refuse'}
          </button>
        </DialogEnd>
      </form>
    </Dialog>
  );
}

/** Answers a request: whoever asked is told what is said here. */
export function AnswerDialog({
  request,
  approve,
  close,
}: {
  request: RequestRow;
  approve: boolean;
  close: () => void;
}) {
  const refresh = useRefresh();
  const form = useSchemaForm(
    answerRequestForm,
    { id: request.id, approved: approve, groups: [], until: null, answer: '' },
    async (values) => {
      await send('POST', '/api/apps/approvals', values);
      close();
      refresh();
    },
  );
  return (
    <Dialog
      title={`${approve ? 'Approve' : 'Refuse'} ${request.name} for ${request.personName}`}
      close={close}
    >
      <form className="flex flex-col gap-3 p-4" onSubmit={form.submit} noValidate>
        {approve && (
          <>
            <p>With {request.scopes.join(', ') || 'nothing'}.</p>
            <ForWhom groups={form.watch('groups')} change={(g) => form.setValue('groups', g)} />
            <LastDay form={form} />
          </>
        )}
        <TextField form={form} name="answer" label={`What ${request.personName} is told`} />
        <FormTrouble form={form} />
        <DialogEnd close={close}>
          <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
            {approve ? 'Approve' : 'Refuse'}
          </button>
        </DialogEnd>
      </form>
    </Dialog>
  );
}

/** Passes a request on to somebody who answers for the app. */
export function PassDialog({ request, close }: { request: RequestRow; close: () => void }) {
  const refresh = useRefresh();
  const form = useSchemaForm(
    passRequestForm,
    { id: request.id, to: request.sponsor?.address ?? '' },
    async (values) => {
      await send('POST', '/api/apps/pass', values);
      close();
      refresh();
    },
  );
  return (
    <Dialog title={`Pass on the request of ${request.personName}`} close={close}>
      <form className="flex flex-col gap-3 p-4" onSubmit={form.submit} noValidate>
        <p>
          They get a mail with what the app is and could read, and answer from a link in it. You can still
          answer yourself. A link that went out before opens nothing any more.
        </p>
        <TextField form={form} name="to" label="E-mail address of whoever answers" type="email" />
        <FormTrouble form={form} />
        <DialogEnd close={close}>
          <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
            Pass on
          </button>
        </DialogEnd>
      </form>
    </Dialog>
  );
}

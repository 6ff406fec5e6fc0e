import { useEffect, useState } from 'react';
import { welcomeForm } from '../../dto/forms.ts';
import { FormTrouble, TextField, useSchemaForm } from '../parts/form.tsx';
import { send } from './api.ts';
import { Door } from './SignIn.tsx';

/** Taking up an invitation: its token stands after the “#”, which no browser sends. */
export default function Welcome() {
  const [live, setLive] = useState(false);
  const form = useSchemaForm(welcomeForm, { token: '', password: '' }, async (values) => {
    const { address } = await send('POST', '/api/accounts/welcome', values);
    await send('POST', '/api/session', { address, password: values.password });
    location.assign('/');
  });
  const { setValue } = form;
  useEffect(() => {
    setValue('token', location.hash.slice(1));
    // it is of use once, and nobody who looks over a shoulder needs it
    history.replaceState(null, '', location.pathname);
    setLive(true);
  }, [setValue]);
  return (
    <Door
      title="Welcome to Gate Lantern"
      about="Choose a password. A few words in a row are better than one with marks in it."
      submit={form.submit}
    >
      <TextField
        form={form}
        name="password"
        label="Password, at least 12 characters"
        type="password"
        autoComplete="new-password"
        autoFocus
      />
      <FormTrouble form={form} />
      <button className="btn btn-primary" disabled={!live || form.formState.isSubmitting}>
        Set password and sign in
      </button>
    </Door>
  );
}

import { QueryClientProvider } from '@tanstack/react-query';
import { SecondFactor } from '../parts/SecondFactor.tsx';
import { client, send } from './api.ts';
import { Door } from './SignIn.tsx';

/** What whoever must have a second factor sees until they have one. */
export default function SecondFactorFirst() {
  return (
    <QueryClientProvider client={client}>
      <Door
        title="Set up a second factor"
        about="Your role signs in with something that you have, beside the password. It takes a minute."
      >
        <SecondFactor done={() => location.assign('/')} />
        <button
          type="button"
          className="btn btn-sm btn-ghost self-start"
          onClick={() => void send('DELETE', '/api/session').then(() => location.assign('/sign-in'))}
        >
          Sign out
        </button>
      </Door>
    </QueryClientProvider>
  );
}

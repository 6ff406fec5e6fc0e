/** What standing orders did about a thing or a person: the last of their runs. */
import { useQuery } from '@tanstack/react-query';
import { ask, withQuery } from '../frame/api.ts';
import { useSigned } from '../frame/signed.ts';
import { plural, When } from '../parts/marks.tsx';
import { RUN_WORDS } from '../views/guard/orders/states.ts';
import { Section } from './Frame.tsx';

const SHOWN = 4;

export default function Runs({ of }: { of: string }) {
  const { account } = useSigned();
  const { data } = useQuery({
    ...ask('/api/orders/runs', { key: of, show: 'all', limit: SHOWN }),
    enabled: !account.held,
  });
  if (!data?.total) return null;
  return (
    <Section name="Standing orders" aside={plural(data.total, 'run')}>
      <ul>
        {data.rows.map((r) => (
          <li key={r.id} className="py-0.5">
            <a
              className="underline decoration-slate"
              href={withQuery('/guard/orders', { run: String(r.id) })}
            >
              {r.orderName}
            </a>{' '}
            <span className="text-quiet">
              {RUN_WORDS[r.state][0]}, began <When at={r.beganAt} />
            </span>
          </li>
        ))}
      </ul>
    </Section>
  );
}

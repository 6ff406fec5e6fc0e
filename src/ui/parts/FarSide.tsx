/** A way to the far side: the same file or space as somebody of the simulated organisation sees it. */
import { useQuery } from '@tanstack/react-query';
import { ask, withQuery } from '../frame/api.ts';

/** The own id behind a key such as `item:drives:f1` or `user:u1`: people are the organisation’s, and of no source. */
const ownId = (key: string): string => key.replace(/^user:|^\w+:[^:]*:/, '');

/** Where something opens as a person there; undefined where nothing is simulated. Keys as of hits. */
export function useFarSide(): (person: string | undefined, key?: string) => string | undefined {
  const { data } = useQuery(ask('/api/course'));
  const base = data?.farSide;
  return (person, key) => {
    if (!base) return undefined;
    const kind = key?.startsWith('space:') ? 'space' : 'item';
    const to = key ? `/far/${kind}/${encodeURIComponent(ownId(key))}` : '/far/spaces';
    return person ? withQuery(`${base}/as`, { user: ownId(person), to }) : base.replace(/\/far$/, to);
  };
}

export function FarSideLink({
  person,
  at,
  children,
}: {
  person?: string | undefined;
  at?: string;
  children: string;
}) {
  const href = useFarSide()(person, at);
  return href ? (
    <a className="underline decoration-slate" href={href} target="far-side" rel="noreferrer">
      {children}
    </a>
  ) : null;
}

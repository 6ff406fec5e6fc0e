/** What the parts of a plan share. */
import type { ReactNode } from 'react';

export const Said = ({ children }: { children: ReactNode }) => (
  <p className="mt-2 border-l-2 border-base-content px-3">{children}</p>
);

export const Heading = ({ children }: { children: ReactNode }) => (
  <h3 className="mb-1 mt-5 font-semibold">{children}</h3>
);

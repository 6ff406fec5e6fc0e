/** How far something is, as a bar. `share`: from 0 to 1; `of`: what it is, for those who do not see it. */
export function Progress({ share, of }: { share: number; of: string }) {
  return (
    <svg
      width="100%"
      height="6"
      role="progressbar"
      aria-label={of}
      aria-valuemin={0}
      aria-valuemax={100}
      aria-valuenow={Math.round(share * 100)}
      preserveAspectRatio="none"
    >
      <rect width="100%" height="6" className="fill-base-300" />
      <rect width={`${share * 100}%`} height="6" className="fill-quiet" />
    </svg>
  );
}

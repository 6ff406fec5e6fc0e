/** Points line by line, and what they add up to. */
import { count } from '../parts/marks.tsx';

export const Sum = ({
  lines,
  points,
}: {
  lines: readonly { why: string; points: number }[];
  points: number;
}) => (
  <table className="w-full">
    <tbody>
      {lines.map((l) => (
        <tr key={l.why}>
          <td className="py-0.5 pr-3">{l.why}</td>
          <td className="text-right align-top">{l.points}</td>
        </tr>
      ))}
      <tr className="border-t border-slate font-semibold">
        <td className="py-0.5">Sum</td>
        <td className="text-right">{count(points)}</td>
      </tr>
    </tbody>
  </table>
);

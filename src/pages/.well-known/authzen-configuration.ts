import { SCHEME_HEADER } from '../../dto/headers.ts';
import { nothing } from '../../dto/inputs.ts';
import { endpoint } from '../api/_endpoint.ts';

/** Where decisions are asked for, as AuthZEN Authorization API 1.0 has it. */
export const GET = endpoint({
  role: 'public',
  scope: 'none',
  input: nothing,
  run: ({ context: { request } }) => {
    const base = `${request.headers.get(SCHEME_HEADER) ?? 'http'}://${request.headers.get('host')}`;
    return Promise.resolve({
      policy_decision_point: base,
      access_evaluation_endpoint: `${base}/access/v1/evaluation`,
      access_evaluations_endpoint: `${base}/access/v1/evaluations`,
    });
  },
});

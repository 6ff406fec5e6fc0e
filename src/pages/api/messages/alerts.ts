import { alertRulesForm } from '../../../core/messages/alerts.ts';
import { nothing } from '../../../dto/inputs.ts';
import { endpoint } from '../_endpoint.ts';

/** Who is told of what by itself, and the channels that can be told. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: async ({ app }) => ({ rules: await app.alerts.rules(), channels: await app.orders.channels() }),
});

/** Sets it. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: alertRulesForm,
  run: ({ app, account, input }) => app.alerts.setRules(input.rules, account.address),
});

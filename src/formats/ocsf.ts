/**
 * Findings as Data Security Findings of the Open Cybersecurity Schema Framework, class 2006, schema
 * version 1.4.0 (attribute names and numbers from memory; schema.ocsf.io). No raw value is in one.
 */
export interface OcsfInput {
  id: number;
  state: 'open' | 'accepted' | 'fixed' | 'reopened';
  severity: 'low' | 'medium' | 'high' | 'critical';
  points: number;
  weight: number;
  now: string;
  could: string;
  source: string;
  item: string;
  name: string;
  path: string;
  space: string;
  owner?: string;
  types: readonly { name: string; distinct: number }[];
  through: readonly string[];
  domains: readonly string[];
  assignee: string | null;
  /** Of a breach: the rule that it breaks. */
  breach?: { ruleName: string; policyName: string };
  /** RFC 3339. */
  opened: string | null;
}

const SEVERITY = { low: 2, medium: 3, high: 4, critical: 5 };
/** New, Suppressed, Resolved; what came back is in progress again. */
const STATUS = { open: 1, reopened: 2, accepted: 3, fixed: 4 };
/** Create, Update, Close. */
const ACTIVITY = { open: 1, reopened: 2, accepted: 2, fixed: 3 };
const CLASS = 2006;

/** One finding as one event. `time`: when it is told, in milliseconds since 1970. */
export function ocsfFinding(f: OcsfInput, time: number, version: string): object {
  const activity = ACTIVITY[f.state];
  const uid = `gate-lantern:finding:${f.id}`;
  return {
    category_uid: 2,
    category_name: 'Findings',
    class_uid: CLASS,
    class_name: 'Data Security Finding',
    activity_id: activity,
    type_uid: CLASS * 100 + activity,
    time,
    severity_id: SEVERITY[f.severity],
    status_id: STATUS[f.state],
    risk_score: f.points,
    is_alert: f.state === 'open' || f.state === 'reopened',
    message: f.breach
      ? `${f.name} breaks the rule “${f.breach.ruleName}” of “${f.breach.policyName}”`
      : `${f.name} can be reached further than its weight allows: now ${f.now}${f.could === f.now ? '' : `, could be ${f.could}`}`,
    metadata: { version: '1.4.0', product: { name: 'Gate Lantern', vendor_name: 'Gate Lantern', version } },
    finding_info: {
      uid,
      title: f.breach ? `${f.breach.ruleName}: ${f.name}` : `Overexposed file: ${f.name}`,
      desc: f.through.join('; '),
      types: [f.breach ? 'Policy breach' : 'Data exposure'],
      ...(f.opened && { created_time: Date.parse(f.opened), first_seen_time: Date.parse(f.opened) }),
    },
    data_security: {
      data_lifecycle_state_id: 1,
      category_id: 99,
      category:
        f.types.map((t) => `${t.name} × ${t.distinct}`).join('; ') ||
        (f.breach ? 'by a rule' : 'by its label'),
      confidentiality: `weight ${f.weight} of 4`,
    },
    file: {
      name: f.name,
      path: `${f.path} › ${f.name}`,
      type_id: 1,
      uid: f.item,
      ...(f.owner && { owner: { name: f.owner } }),
    },
    resources: [{ uid: `${f.source}:${f.item}`, name: f.name, type: 'File', group: { name: f.space } }],
    ...(f.assignee && { assignee: { email_addr: f.assignee } }),
    observables: f.domains.map((value) => ({ name: 'external_domain', type_id: 1, value })),
  };
}

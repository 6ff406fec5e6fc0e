// The arrows of docs/architecture.md: ui → pages/api → services → {core, formats, store, connectors, jobs}.
const only = (name, from, allowed, comment) => ({
  name,
  comment,
  severity: 'error',
  from: { path: from, pathNot: '\\.test\\.tsx?$' },
  to: { path: '^(src|standins|demo|tests|scripts|bench)/', pathNot: [from, ...allowed] },
});
/** Types alone may be looked at further down; they leave nothing in what is built. */
const TYPES = { dependencyTypesNot: ['type-only'] };

module.exports = {
  forbidden: [
    only('core-alone', '^src/core/', [], 'The core imports nothing but the core.'),
    {
      name: 'core-pure',
      severity: 'error',
      from: { path: '^src/core/', pathNot: '\\.test\\.ts$' },
      // without I/O: the word list of BIP-39, the numbering plans of E.164, patterns in linear time, public suffixes, lists and spellings of domains, the grammar of CEL, schemas, rhythms, digests
      to: {
        dependencyTypes: ['core', 'npm', 'npm-dev'],
        pathNot:
          'node_modules/(@scure/bip39|libphonenumber-js|re2js|tldts|tr46|fastest-levenshtein|email-providers|@marcbachmann/cel-js|zod|rrule|@date-fns/tz|@noble/hashes)/',
      },
      comment: 'No I/O, no clock, no framework in the core.',
    },
    only('formats', '^src/formats/', ['^src/core/'], 'Formats know the core’s types.'),
    only('jobs', '^src/jobs/', [], 'Threads know nothing of what runs in them.'),
    only(
      'store',
      '^src/store/',
      ['^src/core/', '^src/jobs/'],
      'The store knows the core’s types and the thread it lives in.',
    ),
    only(
      'connectors',
      '^src/connectors/',
      ['^src/core/', '^src/formats/'],
      'Connectors know rows and their formats.',
    ),
    only('dto', '^src/dto/', ['^src/core/'], 'Shapes of answers know the core’s types.'),
    only(
      'engine',
      '^src/engine/',
      ['^src/(core|formats|store|connectors|jobs|dto)/'],
      'The engine answers questions about surveys; it knows no use cases.',
    ),
    only(
      'services',
      '^src/services/',
      ['^src/(core|formats|store|connectors|jobs|dto|engine)/'],
      'Services are where the layers meet.',
    ),
    only(
      'cli',
      '^src/cli/',
      ['^src/(core|formats|services|engine|dto)/'],
      'The command line uses the same core and services.',
    ),
    {
      ...only(
        'pages',
        '^src/pages/',
        ['^src/services/instance\\.ts$', '^src/dto/', '^src/(layouts|ui)/', '^src/core/'],
        'Pages are thin.',
      ),
      to: {
        ...only('', '^src/pages/', [
          '^src/services/instance\\.ts$',
          '^src/dto/',
          '^src/(layouts|ui)/',
          '^src/core/',
        ]).to,
        ...TYPES,
      },
    },
    {
      ...only(
        'ui',
        '^src/ui/',
        [
          '^src/core/(model|row-kinds|sorts|exposure/exposure|recognise/(threshold|starters)|filter/(fields|rows)|guard/(events|kinds|marks|patterns|responses|schema)|orders/(fields|schema|words)|messages/(alerts|when)|ask/(activity|charter|kinds)|apps/scopes)\\.ts$',
          '^src/formats/custom-type-schema\\.ts$',
          '^src/dto/',
        ],
        'The interface talks to the API only; constants of the core and schemas excepted.',
      ),
      to: {
        ...only('', '^src/ui/', [
          '^src/core/(model|row-kinds|sorts|exposure/exposure|recognise/(threshold|starters)|filter/(fields|rows)|guard/(events|kinds|marks|patterns|responses|schema)|orders/(fields|schema|words)|messages/(alerts|when)|ask/(activity|charter|kinds)|apps/scopes)\\.ts$',
          '^src/formats/custom-type-schema\\.ts$',
          '^src/dto/',
        ]).to,
        ...TYPES,
      },
    },
    only(
      'standins-apart',
      '^standins/',
      ['^src/formats/', '^src/core/'],
      'The stand-ins are a world of their own.',
    ),
    only(
      'demo-apart',
      '^demo/',
      ['^src/formats/', '^src/core/'],
      'The demo uses rows and formats, and nothing of the application.',
    ),
    {
      name: 'no-cycles',
      severity: 'error',
      from: {},
      to: { circular: true },
    },
  ],
  options: {
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    doNotFollow: { path: 'node_modules' },
    enhancedResolveOptions: { extensions: ['.ts', '.tsx', '.mjs', '.js', '.json'] },
  },
};

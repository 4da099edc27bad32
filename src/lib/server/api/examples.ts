import type { Api } from './types';

type Known = keyof Api;

/** A call of an endpoint that can be made on the demo, after those above it. */
export interface Example<K extends Known> {
  readonly params?: Readonly<Record<string, string>>;
  readonly query?: Readonly<Record<string, string | number>>;
  readonly body?: Api[K]['body'] extends Blob ? string : Api[K]['body'];
  /** Its body is what another endpoint gave, or its last parameter a number that it gave. */
  readonly given?: Known;
  /** A workload that is laid out before it, with a blueprint's answers, and waited for. */
  readonly laid?: { readonly rehearsal: string; readonly blueprint: string; readonly answers: Readonly<Record<string, string>> };
}

const north = { id: 'north-quay~try' };
const south = { id: 'south-quay' };
/** A small workload that can go from the harbour to a quay. */
const roster = {
  name: 'roster',
  namespace: 'people',
  members: '2',
  size: '2Gi',
  class: 'shed-pool',
  tls: 'off',
  cpu: '250m',
  memory: '1Gi',
  synchronous: '1'
};
const rosterMoves = { namespace: roster.namespace, workload: roster.name, to: 'north-quay' };
const namespace = 'events';
const files = [
  {
    name: 'claim.yaml',
    text: `apiVersion: v1
kind: PersistentVolumeClaim
metadata: {name: ledger, namespace: events}
spec:
  accessModes: [ReadWriteOnce]
  storageClassName: steady-block
  resources: {requests: {storage: 10Gi}}
`
  }
];
const claim = files[0]!.text;
const other = [{ name: 'claim.yaml', text: claim.replace('ledger', 'tallies') }];
const directory = `apiVersion: apps/v1
kind: Deployment
metadata: {name: cache, namespace: events}
spec:
  selector: {matchLabels: {app: cache}}
  template:
    metadata: {labels: {app: cache}}
    spec:
      containers:
      - {name: main, image: 'shelf.standin.example/tools/writer:r1', volumeMounts: [{name: kept, mountPath: /kept}]}
      volumes: [{name: kept, emptyDir: {}}]
`;
const snapshot = `apiVersion: snapshot.storage.k8s.io/v1
kind: VolumeSnapshot
metadata: {name: before, namespace: events}
spec: {source: {persistentVolumeClaimName: data-boarding-1}}
`;
const ground = `apiVersion: standin.example/v1
kind: Ground
metadata: {name: new-quay}
spec:
  clusterDomain: cluster.local
  issuer: https://issuer.new-quay.example
  podRange: 10.80.0.0/16
  serviceRange: 10.81.0.0/16
  nodeRange: 172.20.80.0/24
  groups:
  - {name: berth, zone: a, count: 3, cpu: '4', memory: 16Gi, disks: [{size: 200Gi}]}
`;
const dump = `apiVersion: v1
kind: List
items:
- {apiVersion: v1, kind: Namespace, metadata: {name: events}}
- {apiVersion: v1, kind: Node, metadata: {name: berth-1}, status: {allocatable: {cpu: '4', memory: 16Gi, pods: '60'}}}
- apiVersion: v1
  kind: PersistentVolumeClaim
  metadata: {name: ledger, namespace: events, uid: 4a1f}
  spec: {accessModes: [ReadWriteOnce], storageClassName: quick, resources: {requests: {storage: 10Gi}}}
  status: {phase: Pending}
`;

/** One example of each call, in an order in which all of them can be made. */
export const examples: { readonly [K in Known]: Example<K> } = {
  'GET /session': {},
  'POST /first-keeper': { body: { code: 'what the start printed', name: 'mara', password: 'nine lamps on the pier' } },
  'POST /session': { body: { name: 'mara', password: 'nine lamps on the pier' } },
  'PUT /session/password': { body: { old: 'nine lamps on the pier', password: 'ten lamps on the pier' } },
  'DELETE /session': {},
  'GET /accounts': {},
  'POST /accounts': { body: { name: 'joris', role: 'engineer', password: 'grey herons at noon' } },
  'PUT /accounts/{account}': { params: { account: 'joris' }, body: { role: 'reader' } },
  'DELETE /accounts/{account}': { params: { account: 'joris' } },
  'GET /tokens': {},
  'POST /tokens': { body: { name: 'nightly', role: 'reader', days: 30 } },
  'DELETE /tokens/{token}': { given: 'POST /tokens' },

  'GET /clusters': {},
  'POST /demo': { body: undefined },
  'POST /bring': { body: claim },
  'GET /rehearsals': {},
  'GET /rehearsals/{id}': { params: south },
  'GET /rehearsals/{id}/frame': { params: south },
  'POST /rehearsals/{id}/forks': { params: { id: 'north-quay' }, body: { name: 'try' } },
  'GET /rehearsals/{id}/root-line': { params: south, query: { kind: 'Pod', namespace: 'tickets', name: 'bookings-0' } },
  'GET /rehearsals/{id}/sheets/ground': { params: north },
  'GET /rehearsals/{id}/sheets/supply': { params: north },
  'GET /rehearsals/{id}/sheets/members': { params: north },
  'GET /rehearsals/{id}/sheets/tape': { params: north },
  'GET /rehearsals/{id}/sheets/claims': { params: north, query: { namespace, sort: 'name', limit: 20 } },
  'GET /rehearsals/{id}/claim': { params: north, query: { namespace, name: 'data-boarding-0' } },
  'GET /rehearsals/{id}/objects': { params: north, query: { kind: 'StorageClass' } },
  'GET /rehearsals/{id}/names': { params: north },
  'GET /rehearsals/{id}/find': { params: north, query: { text: 'board' } },
  'GET /rehearsals/{id}/resolve': { params: north, query: { namespace, name: 'boarding-0.boarding' } },
  'GET /rehearsals/{id}/journal': { params: north, query: { limit: 2 } },
  'GET /rehearsals/{id}/manifests': { params: north, query: { namespace } },
  'GET /rehearsals/{id}/dump': { params: north },
  'GET /rehearsals/{id}/operators': { params: north },
  'POST /rehearsals/{id}/operators/{operator}': { params: { ...north, operator: 'document-operator' }, body: { watches: ['plans'] } },
  'GET /drivers/{driver}/install': { params: { driver: 'block.standin.example' } },
  'GET /operators/pool/install': {},
  'GET /rehearsals/{id}/assets/{backend}': { params: { ...north, backend: 'north-quay-volumes' } },
  'GET /rehearsals/{id}/remedy': { params: south, query: { driver: 'block.standin.example', joint: 'driver' } },
  'POST /rehearsals/{id}/design-class': {
    params: north,
    body: { name: 'ledgers', users: 'one', grow: true, keep: true, encrypt: false, fsType: 'any', speed: 'steady', isDefault: false }
  },
  'POST /rehearsals/{id}/trials': { params: north, body: { class: 'steady-block' } },
  'GET /rehearsals/{id}/trials': { params: north },

  'POST /rehearsals/{id}/change-sheet': { params: north, body: claim },
  'POST /rehearsals/{id}/send': { params: north, body: `${claim}---\n${snapshot}---\n${directory}` },
  'POST /rehearsals/{id}/clock': { params: north, body: { until: 'settled' } },
  'POST /rehearsals/{id}/grow': { params: north, body: { namespace, name: 'data-boarding-0', size: '900Gi' } },
  'POST /rehearsals/{id}/undo': { params: north },
  'GET /rehearsals/{id}/grow-set': { params: north, query: { namespace, set: 'boarding', template: 'data', size: '80Gi' } },
  'POST /rehearsals/{id}/write': { params: north, body: { namespace, pod: 'boarding-1', key: 'first', value: 'kept' } },
  'POST /rehearsals/{id}/damage': { params: north, body: { namespace, claim: 'data-boarding-1' } },
  'POST /rehearsals/{id}/restore-sheet': { params: north, body: { namespace, claim: 'data-boarding-1', snapshot: 'before' } },
  'POST /rehearsals/{id}/restore': {
    params: north,
    body: { namespace, claim: 'data-boarding-1', snapshot: 'before', confirm: 'north-quay' }
  },
  'GET /rehearsals/{id}/ephemeral': { params: north },
  'POST /rehearsals/{id}/persist': {
    params: north,
    body: { kind: 'Deployment', namespace, name: 'cache', volume: 'kept', size: '5Gi' }
  },
  'POST /rehearsals/{id}/removal-sheet': { params: north, body: { kind: 'PersistentVolumeClaim', namespace, name: 'ledger' } },
  'POST /rehearsals/{id}/remove': { params: north, body: { kind: 'PersistentVolumeClaim', namespace, name: 'ledger' } },
  'POST /rehearsals/{id}/scale': { params: north, body: { namespace, name: 'boarding', replicas: 4 } },
  'GET /rehearsals/{id}/nodes/{node}/emptying-sheet': { params: { ...north, node: 'n-2' } },
  'POST /rehearsals/{id}/nodes/{node}/empty': { params: { ...north, node: 'n-2' }, body: { open: false } },

  'GET /blueprints': {},
  'POST /rehearsals/{id}/blueprints/{blueprint}': { params: { ...north, blueprint: 'document-set' }, body: { answers: {} } },
  'POST /rehearsals/{id}/blueprints/{blueprint}/draft': { params: { ...north, blueprint: 'document-set' }, body: { answers: {} } },
  'GET /rehearsals/{id}/workload': { params: north, query: { namespace, name: 'boarding' } },
  'GET /rehearsals/{id}/logs': { params: north, query: { namespace, name: 'boarding', text: 'leads' } },
  'POST /rehearsals/{id}/asks': { params: { id: 'north-quay' }, body: { namespace, workload: 'boarding', op: { do: 'topics' } } },
  'POST /rehearsals/{id}/crash': { params: north, body: { namespace, pod: 'boarding-0' } },
  'POST /rehearsals/{id}/tunnels': { params: north, body: { namespace, service: 'boarding-inside', open: true } },
  'POST /rehearsals/{id}/rest': { params: north, body: { namespace, workload: 'boarding' } },
  'POST /rehearsals/{id}/wake': { params: north, body: { namespace, workload: 'boarding' } },
  'GET /rehearsals/{id}/findings': { params: north, query: { namespace } },
  'POST /rehearsals/{id}/findings/mend': { params: north, body: { namespace, nth: 0 } },
  'POST /rehearsals/{id}/proofs': { params: north, body: { namespace: 'plans', set: 'timetable' } },
  'GET /rehearsals/{id}/backups': { params: { id: 'north-quay' } },
  'GET /rehearsals/{id}/backups/beside': {
    params: { id: 'north-quay' },
    query: { namespace: 'plans', workload: 'timetable', to: 'timetable-back' }
  },
  'POST /rehearsals/{id}/drills': {
    params: { id: 'north-quay' },
    body: { namespace: 'events', workload: 'boarding', fault: 'program-ends', expectation: { writesPauseMs: 30_000, lost: 0 } }
  },
  'POST /rehearsals/{id}/drills/fork': {
    params: { id: 'north-quay' },
    body: { namespace: 'events', workload: 'boarding', fault: 'program-ends' }
  },
  'POST /rehearsals/{id}/drills/round': { params: { id: 'north-quay' }, body: { namespace: 'charts', workload: 'chartroom' } },
  'DELETE /rehearsals/{id}/drills/round': { params: { id: 'north-quay' } },
  'GET /rehearsals/{id}/drills': { params: { id: 'north-quay' } },
  'GET /rehearsals/{id}/linked': { params: { id: 'pilot-house~crew' } },
  'POST /rehearsals/{id}/reach': { params: { id: 'pilot-house~crew' } },
  'GET /rehearsals/{id}/moves': {
    laid: { rehearsal: 'harbour~crew', blueprint: 'primary-standby-sql', answers: roster },
    params: { id: 'harbour~crew' },
    query: rosterMoves
  },
  'POST /rehearsals/{id}/moves/try': { params: { id: 'harbour~crew' }, body: { ...rosterMoves, way: 'standby' } },
  'POST /rehearsals/{id}/moves/draft': { params: { id: 'harbour~crew' }, body: { ...rosterMoves, way: 'standby', step: 0 } },
  'GET /rehearsals/{id}/report': { params: north, query: { namespace: 'charts', workload: 'chartroom' } },
  'GET /rehearsals/{id}/sizing': { params: north },
  'POST /rehearsals/{id}/sizing': { params: north, body: { calc: 'broker', written: { rate: '0.4 to 0.7 MB/s', kept: '5 days' } } },
  'GET /rehearsals/{id}/sizing/taken': { params: north, query: { calc: 'spread', namespace: 'plans', workload: 'timetable' } },
  'GET /rehearsals/{id}/clean-up': { params: north, query: { namespace: 'plans', workload: 'timetable' } },
  'GET /rehearsals/{id}/prices': { params: north },
  'POST /rehearsals/{id}/cost': {
    params: north,
    body: {
      prices: `apiVersion: standin.example/v1
kind: PriceList
metadata: {name: made-up}
spec:
  unit: crowns
  nodes: [{name: berth, cpu: '6', memory: 40Gi, price: 0.17 per hour}]
  volumes: [{class: '*', price: 0.31 per GiB month}]
  snapshots: 0.17 per GiB month
`
    }
  },
  'GET /rehearsals/{id}/sizing/nodes': { params: north, query: {} },
  'POST /packed': {
    body: {
      members: [
        { name: 'boarding', count: '3', cpu: '2', memory: '8Gi', slots: '1', disk: '', apart: 'both' },
        { name: 'fares', count: '4', cpu: '1500m', memory: '6Gi', slots: '', disk: '', apart: 'no' }
      ],
      nodes: [{ name: 'berth', cpu: '4', memory: '16Gi', slots: '25', disk: '', most: '', price: '84' }],
      zones: '3',
      by: 'nodes'
    }
  },
  'POST /rehearsals/{id}/sizing/draft': {
    params: north,
    body: { calc: 'spread', of: { namespace: 'plans', name: 'timetable' }, written: { lostMembers: '1' } }
  },
  'POST /rehearsals/{id}/sizing/measured': {
    params: north,
    body: {
      table: 'iops,mean ms\n400,1.6\n900,1.9\n',
      columns: { operations: 0, time: { column: 1, seconds: 0.001 } },
      written: { latency: '1.5 ms' }
    }
  },
  'POST /rehearsals/{id}/sizing/nodes/draft': {
    params: north,
    body: {
      of: { namespace: 'plans', name: 'timetable' },
      members: [{ name: 'timetable', count: '3', cpu: '1', memory: '3Gi', slots: '1', disk: '', apart: 'both' }]
    }
  },
  'POST /rehearsals/{id}/cost/draft': {
    params: north,
    body: { of: { namespace: 'plans', name: 'timetable' }, from: 'steady-block', to: 'plain-block' }
  },
  'POST /rehearsals/{id}/sizings': { params: north, body: { name: 'summer', calc: 'fill', written: { grows: '6 GiB' } } },
  'GET /rehearsals/{id}/sizings': { params: north },
  'DELETE /rehearsals/{id}/sizings/{sizing}': { params: { ...north, sizing: '1' } },
  'GET /rehearsals/{id}/bundle': { params: north, query: { namespace: 'plans' } },
  'GET /rehearsals/{id}/supposed': { params: north },
  'POST /rehearsals/{id}/supposed/draft': {
    params: north,
    body: { driver: 'block.standin.example', times: { provisioning: { fromSeconds: 4, toSeconds: 9 } } }
  },
  'GET /rehearsals/{id}/proofs': { params: north },

  'GET /rules': {},
  'POST /check': { query: { against: 'north-quay' }, body: claim },
  'POST /clusters/{name}/drafts': { params: { name: 'north-quay' }, body: { name: 'a claim more', files: other } },
  'GET /clusters/{name}/drafts': { params: { name: 'north-quay' } },
  'GET /drafts/{draft}': { given: 'POST /clusters/{name}/drafts' },
  'PUT /drafts/{draft}': {
    given: 'POST /clusters/{name}/drafts',
    body: { files: [{ name: 'claim.yaml', text: other[0]!.text.replace('10Gi', '12Gi') }] }
  },
  'POST /drafts/{draft}/undo': { given: 'POST /clusters/{name}/drafts' },
  'POST /drafts/{draft}/redo': { given: 'POST /clusters/{name}/drafts' },
  'GET /drafts/{draft}/states': { given: 'POST /clusters/{name}/drafts' },
  'GET /drafts/{draft}/states/{state}': { given: 'GET /drafts/{draft}/states' },
  'POST /drafts/{draft}/send': { given: 'POST /clusters/{name}/drafts', body: { rehearsal: 'north-quay~try' } },
  'GET /drafts/{draft}/sent': { given: 'POST /clusters/{name}/drafts' },
  'POST /rehearsals/{id}/look': { params: north, body: { files, sheet: true } },
  'POST /rehearsals/{id}/brief': { params: north, body: { files } },
  'POST /rehearsals/{id}/fit': { params: north, body: { files, tried: true } },
  'POST /rehearsals/{id}/rework': { params: north, body: { files, move: { from: 'events', to: 'ledgers' } } },
  'DELETE /drafts/{draft}': { given: 'POST /clusters/{name}/drafts' },

  'POST /layouts/check': { body: ground },
  'POST /clusters': { body: ground },
  'GET /clusters/{name}/ground': { params: { name: 'new-quay' } },
  'DELETE /clusters/{name}': { params: { name: 'new-quay' } },
  'POST /clusters/read': { query: { name: 'prod-west' }, body: dump },
  'GET /readings': {},
  'GET /readings/{reading}': { given: 'GET /readings' },
  'DELETE /readings/{reading}': { given: 'GET /readings' },
  'GET /clusters/{name}/dumps': { params: { name: 'prod-west' } },
  'GET /clusters/{name}/wrong': { params: { name: 'prod-west' } },
  'GET /clusters/{name}/scope': { params: { name: 'prod-west' } },
  'PUT /clusters/{name}/scope': {
    params: { name: 'prod-west' },
    body: { items: [{ kind: 'StorageClass', namespace: '', reach: 'contained' }] }
  },
  'GET /clusters/{name}/joined': { params: { name: 'prod-west' } },
  'PUT /clusters/{name}/joined': { params: { name: 'prod-west' }, body: { with: [] } },
  'GET /clusters/{name}/comparison': { params: { name: 'prod-west' } },
  'GET /clusters/{name}/assumptions': { params: { name: 'prod-west' } },
  'POST /clusters/{name}/rehearsals': { params: { name: 'prod-west' }, body: { name: 'try-west', answers: {} } },

  'PUT /presence': { body: { id: 'drawn-by-the-page', rehearsal: 'north-quay~try', doing: 'looks' } },
  'GET /deeds': { query: { limit: 5 } },
  'POST /backups': {},
  'GET /backups': {},
  'GET /clusters/{name}/export': { params: { name: 'harbour' } },
  'POST /clusters/import': { query: { name: 'harbour-two' }, given: 'GET /clusters/{name}/export' },
  'DELETE /rehearsals/{id}': { params: north },
  'POST /rehearsals/{id}/join': { params: { id: 'harbour' }, body: { with: 'pilot-house', delayMs: 11 } }
};

/** What the cluster was doing when it was refused. */
export type Doing = 'create' | 'provision' | 'attach' | 'mount' | 'grow' | 'snapshot' | 'delete';

/** Joints that a refusal can be told to. */
export type ToldJoint =
  | 'backend'
  | 'target'
  | 'rights'
  | 'driver'
  | 'class'
  | 'volume'
  | 'claim'
  | 'snapshot'
  | 'quota'
  | 'admitted'
  | 'node'
  | 'attaching'
  | 'mounting'
  | 'references';

/** A row of the table: what is said while what is done, and which joint it breaks. */
export interface Row {
  readonly doing: readonly Doing[];
  readonly joint: ToldJoint;
  readonly says: RegExp;
  /** Where the wording or the meaning comes from. */
  readonly source: string;
}

const csi = 'CSI specification, error scheme of the RPC';
const grpc = 'gRPC status codes, and CSI specification "Error Scheme"';
const agent = "node agent's volume manager, messages of FailedMount";
const attach = 'attach-detach controller, messages of FailedAttachVolume';
const admission = 'API server, admission plugins';
const practice = 'common practice, no source';

const volumes: readonly Doing[] = ['provision', 'attach', 'mount', 'grow', 'snapshot', 'delete'];
const provider: readonly Doing[] = ['provision', 'attach', 'grow', 'snapshot', 'delete'];

const row = (doing: readonly Doing[], joint: ToldJoint, says: RegExp, source: string): Row => ({ doing, joint, says, source });

/**
 * What is told by words, the surest first. Wordings differ between versions, so each row looks for the meaning. A row that speaks of a
 * status code stands after those that know more.
 */
export const rows: readonly Row[] = [
  // Making pods and claims.
  row(['create'], 'quota', /exceeded quota|failed quota|quota .*must specify|must specify .*quota/i, `${admission}: resource quota`),
  row(['create'], 'references', /error looking up service account|service ?account[s]? ".+" not found/i, `${admission}: service account`),
  row(['create'], 'rights', /forbidden: User .* cannot \w+ resource/i, 'API server, authorization'),
  row(
    ['create'],
    'admitted',
    /violates PodSecurity|security context|admission webhook|failed calling webhook|no endpoints available for service|(maximum|minimum|limit).*(per|usage)|PriorityClass|is invalid|being terminated|is forbidden|denied/i,
    `${admission}: pod security, limit ranges, webhooks, priority, namespace life cycle`
  ),
  // The driver's own parts: nobody answers at its socket, or the node doesn't know it.
  row(
    volumes,
    'driver',
    /not found in the list of registered CSI drivers|does not contain driver|no volume plugin matched|volume plugin .*not found|driver .*not (registered|installed)/i,
    `${agent}; CSINode`
  ),
  row(
    volumes,
    'driver',
    /dial(ing)?:? .*unix|\.sock\b.*(refused|no such file)|(connection refused|no such file).*\.sock\b|error reading from server: EOF|transport is closing/i,
    `${agent}; gRPC`
  ),
  row(
    ['provision'],
    'driver',
    /accessibility requirements|no (available )?topology( key)?s? (was )?found/i,
    'external-provisioner, topology'
  ),
  row(volumes, 'driver', /code = Unimplemented|does(n't| not) support (snapshot|clon|expan)/i, grpc),
  // Rights, wherever they are refused.
  row(volumes, 'rights', /code = (PermissionDenied|Unauthenticated)/, grpc),
  row(['provision', 'grow', 'snapshot', 'delete'], 'backend', /code = ResourceExhausted/, grpc),
  row(volumes, 'rights', /forbidden: User .* cannot \w+ resource|cannot \w+ resource "/i, 'API server, authorization'),
  row(
    provider,
    'rights',
    /not authorized|unauthorized|access ?denied|permission denied|insufficient permissions?|auth(entication)? failed|invalid (identity|credential|token)|(credential|token)s? (has |have |is |are )?expired|(http|status|code|error)\W{1,3}40[13]\b/i,
    practice
  ),
  // What is mounted beside volumes.
  row(
    ['mount'],
    'references',
    /\b(configmap|secret)s?\b "?[^ ]+"? (not found|is not registered)|references non-existent (config|secret)|non-existent (config|secret) key|(couldn't|could not) find key/i,
    agent
  ),
  row(['mount'], 'references', /failed to fetch token|service ?accounts? ".+" not found/i, agent),
  row(
    ['mount', 'attach', 'provision'],
    'claim',
    /persistentvolumeclaim ".+" not found|error processing PVC|PVC .*(is not bound|being deleted)/i,
    agent
  ),
  // Attaching.
  row(['attach'], 'attaching', /waiting for external-attacher/i, attach),
  row(
    ['attach', 'mount'],
    'attaching',
    /Multi-Attach|already (exclusively )?attached|already (used|in use) by|volume .*\b(is )?in.use\b|code = FailedPrecondition/i,
    attach
  ),
  row(
    ['attach'],
    'attaching',
    /max(imum)? (number|volume|count).*|too many (volumes|attach)|attach(ment)? (limit|slots?)|volume limit/i,
    attach
  ),
  row(['attach'], 'node', /(node|instance|server|machine|vm)\b[^:]{0,60}\b(not found|does not exist|no longer exists)/i, attach),
  row(
    ['mount'],
    'attaching',
    /not (yet )?attached|is not attached|waiting for .*attach|failed to find attached|no device found|devicepath is empty/i,
    agent
  ),
  // Classes and claims.
  row(['provision', 'grow'], 'class', /storageclass[^"]*".+" not found/i, 'persistent-volume controller, external-provisioner'),
  row(
    ['provision', 'grow'],
    'class',
    /(unknown|invalid|unsupported|unrecognized|missing) (parameter|option|key|volume type|disk type)|parameter .*(unknown|invalid|not (supported|recognized|allowed)|required)/i,
    csi
  ),
  row(
    ['provision'],
    'class',
    /secrets? ".+" not found|failed to get (provisioner |name and namespace )?(secret|template)/i,
    'external-provisioner, secrets named by a class'
  ),
  row(
    ['provision'],
    'snapshot',
    /snapshot[^:]*(not found|not ready|not bound|does not exist)|error getting (handle for DataSource|snapshot)/i,
    'external-provisioner, data sources'
  ),
  row(
    ['provision'],
    'claim',
    /claim Selector is not supported|access ?modes?.*(not supported|unsupported|invalid)|(not supported|unsupported|invalid).*access ?modes?|volume ?mode.*(not supported|unsupported)/i,
    csi
  ),
  row(['snapshot'], 'snapshot', /snapshot ?class|cannot find default/i, 'snapshot controller'),
  // By code.
  row(['provision', 'grow'], 'class', /code = OutOfRange.*(iops|throughput|parameter|class)/i, csi),
  row(
    ['provision', 'grow', 'snapshot'],
    'claim',
    /code = OutOfRange|requested .*(size|capacity|bytes).*(less|greater|larger|smaller|exceed|below|above|min|max)|(infeasible|shrink)/i,
    csi
  ),
  row(
    provider,
    'backend',
    /quota|limit ?exceeded|insufficient (capacity|space|storage|free)|not enough (space|capacity|storage)|no (space|capacity|room)|out of (space|capacity)|exhausted|(pool|array|backend).*full/i,
    practice
  ),
  row(['provision', 'grow', 'snapshot'], 'class', /code = InvalidArgument/, csi),
  row(
    ['provision', 'attach', 'mount', 'grow', 'snapshot', 'delete'],
    'volume',
    /code = (NotFound|AlreadyExists)|volume .*(not found|does not exist)/i,
    csi
  ),
  row(['attach'], 'backend', /code = ResourceExhausted/, grpc),
  row(provider, 'backend', /code = (Unavailable|DeadlineExceeded)/, grpc),
  row(
    ['provision', 'grow', 'snapshot', 'delete'],
    'backend',
    /deadline exceeded|timed? ?out|unreachable|no route to host|connection refused|no such host|service unavailable|throttl|rate ?(limit|exceeded)|too many requests|(http|status|code|error)\W{1,3}50[0234]\b|\b50[0234] \w+/i,
    practice
  ),
  // File servers.
  row(
    ['mount'],
    'target',
    /(mount\.nfs|nfs|mount failed|mounting)[\s\S]*(connection (timed out|refused)|no route to host|unreachable|access denied by server|name or service not known|failed to resolve)/i,
    'mount(8), mount.nfs(8)'
  )
];

/** What is told by nobody's words stays where it was done. */
const places: Record<Doing, ToldJoint> = {
  create: 'admitted',
  provision: 'backend',
  attach: 'attaching',
  mount: 'mounting',
  grow: 'claim',
  snapshot: 'snapshot',
  delete: 'volume'
};

/** Names in quotes say nothing of why: a claim may well be called `quota-403`. */
const withoutNames = (message: string): string => message.replace(/"[\w./:-]+"/g, '"·"');

/** Which joint a refusal breaks: by the table, else where it was done. */
export function jointOf(doing: Doing, message: string): ToldJoint {
  const bare = withoutNames(message);
  return rows.find((one) => one.doing.includes(doing) && one.says.test(bare))?.joint ?? places[doing];
}

/** Retries and waits that say nothing of why: whoever says more comes first. */
const vague =
  /timed out waiting for the condition|context deadline exceeded$|failed to sync (configmap|secret) cache|object "[^"]+"\/"[^"]+" not registered|code = Aborted|operation .*(already exists|pending)|an operation with the given|list of VolumesInUse|object has been modified|try again/i;
const surely = /Multi-Attach|code = (?!Aborted)\w+ desc = (?!context deadline)/;

/** Whether a message tells only that something is tried again. */
export const isVague = (message: string): boolean => vague.test(message) && !surely.test(message);

/** The telling part of a message: what stands behind the last `desc =`, without wrapping, at most so many letters. */
export function tellingPart(message: string, most = 180): string {
  const code = /code = (\w+)/.exec(message)?.[1];
  const desc = message.split(/desc = /).at(-1) ?? message;
  const bare = (
    message.includes('desc = ')
      ? desc
      : message.replace(
          /^.*?(failed to provision volume with StorageClass "[^"]*": |MountVolume\.\w+ failed for volume "[^"]*"\s*: |AttachVolume\.Attach failed for volume "[^"]*"\s*: )/s,
          ''
        )
  )
    .replace(/\s+/g, ' ')
    .replace(/[.\s]+$/, '')
    .trim();
  const text = code && message.includes('desc = ') ? `${code}: ${bare}` : bare;
  return text.length > most ? `${text.slice(0, most - 1).trimEnd()}…` : text;
}

import { accounts } from './objects/accounts';
import { agent } from './nodes/agent';
import { attaching } from './storage/attaching';
import { balancers } from './network/balancers';
import { backends } from './storage/backends';
import { backups } from './backup';
import { binding } from './storage/binding';
import { budgets } from './workloads/budgets';
import { collector } from './objects/collector';
import { cronJobs } from './workloads/cron-jobs';
import { daemonSets } from './workloads/daemon-sets';
import { deployments } from './workloads/deployments';
import { driverParts } from './storage/driver-parts';
import { emptying } from './nodes/emptying';
import { endpoints } from './network/endpoints';
import { engines } from './traffic';
import { filling } from './storage/filling';
import { growing } from './storage/growing';
import { issuing } from './operators/issuing';
import { jobs } from './workloads/jobs';
import type { Loop } from './loop';
import { ownClaimsLoop } from './storage/own-claims';
import { placing } from './workloads/placing';
import { operators } from './operators';
import { mirrors } from './mirrors';
import { modifying } from './storage/attributes';
import { outages } from './nodes/outages';
import { nodeLoss } from './nodes/node-loss';
import { pools } from './storage/pools';
import { provisioning } from './storage/provisioning';
import { reclaim } from './storage/reclaim';
import { quotas } from './objects/quotas';
import { replicaSets } from './workloads/replica-sets';
import { resending } from './objects/resending';
import { resting } from './workloads/resting';
import { restoring } from './storage/restoring';
import { roomTelling } from './storage/room-told';
import { sets } from './workloads/sets';
import { snapshots } from './storage/snapshots';
import { helping } from './operators/helping';
import { tainting } from './nodes/tainting';

/** All control loops. Their order is their priority among calls of one moment; a new loop is one more file and one more line here. */
export const loops: readonly Loop[] = [
  accounts,
  collector,
  reclaim,
  driverParts,
  binding,
  provisioning,
  growing,
  modifying,
  roomTelling,
  ownClaimsLoop,
  placing,
  attaching,
  agent,
  endpoints,
  restoring,
  sets,
  deployments,
  replicaSets,
  daemonSets,
  cronJobs,
  jobs,
  backends,
  snapshots,
  filling,
  pools,
  quotas,
  resending,
  nodeLoss,
  engines,
  balancers,
  helping,
  resting,
  issuing,
  operators,
  budgets,
  emptying,
  tainting,
  outages,
  backups,
  mirrors
];

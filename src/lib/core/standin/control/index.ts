import { accounts } from './accounts';
import { agent } from './agent';
import { attaching } from './attaching';
import { balancers } from './balancers';
import { backends } from './backends';
import { binding } from './binding';
import { budgets } from './budgets';
import { collector } from './collector';
import { daemonSets } from './daemon-sets';
import { deployments } from './deployments';
import { driverParts } from './driver-parts';
import { emptying } from './emptying';
import { endpoints } from './endpoints';
import { engines } from './engines';
import { filling } from './filling';
import { growing } from './growing';
import { issuing } from './issuing';
import { jobs } from './jobs';
import type { Loop } from './loop';
import { placing } from './placing';
import { operators } from './operators';
import { nodeLoss } from './node-loss';
import { pools } from './pools';
import { provisioning } from './provisioning';
import { reclaim } from './reclaim';
import { resending } from './resending';
import { resting } from './resting';
import { restoring } from './restoring';
import { sets } from './sets';
import { snapshots } from './snapshots';
import { helping } from './helping';

/** All control loops. Their order is their priority among calls of one moment; a new loop is one more file and one more line here. */
export const loops: readonly Loop[] = [
  accounts,
  collector,
  reclaim,
  driverParts,
  binding,
  provisioning,
  growing,
  placing,
  attaching,
  agent,
  endpoints,
  restoring,
  sets,
  deployments,
  daemonSets,
  jobs,
  backends,
  snapshots,
  filling,
  pools,
  resending,
  nodeLoss,
  engines,
  balancers,
  helping,
  resting,
  issuing,
  operators,
  budgets,
  emptying
];

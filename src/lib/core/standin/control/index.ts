import { accounts } from './accounts';
import { agent } from './agent';
import { attaching } from './attaching';
import { binding } from './binding';
import { collector } from './collector';
import { daemonSets } from './daemon-sets';
import { deployments } from './deployments';
import { driverParts } from './driver-parts';
import { endpoints } from './endpoints';
import { growing } from './growing';
import type { Loop } from './loop';
import { placing } from './placing';
import { provisioning } from './provisioning';
import { reclaim } from './reclaim';
import { sets } from './sets';

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
  sets,
  deployments,
  daemonSets
];

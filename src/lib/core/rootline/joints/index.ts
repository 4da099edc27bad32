import type { JointRule } from '../types';
import { attaching } from './attaching';
import { backend } from './backend';
import { claimJoint } from './claim';
import { classJoint } from './class';
import { driver } from './driver';
import { copies } from './copies';
import { authority } from './authority';
import { image } from './image';
import { link } from './link';
import { mounting } from './mounting';
import { name } from './name';
import { node } from './node';
import { placing } from './placing';
import { disks, keepers, operator, storageNodes } from './pool';
import { ready } from './ready';
import { references } from './references';
import { resource } from './resource';
import { rights } from './rights';
import { service } from './service';
import { snapshot } from './snapshot';
import { start } from './start';
import { target } from './target';
import { volume } from './volume';

const rules = [
  storageNodes,
  operator,
  disks,
  keepers,
  backend,
  target,
  rights,
  driver,
  classJoint,
  volume,
  claimJoint,
  snapshot,
  placing,
  node,
  attaching,
  mounting,
  references,
  image,
  start,
  link,
  authority,
  ready,
  name,
  service,
  resource,
  copies
] as const;

/** The links of a root line. Those two that only exports have stand between snapshot and placing. */
export type JointId = (typeof rules)[number]['id'] | 'quota' | 'admitted';

/** Their order, from the root up. */
export const jointIds: readonly JointId[] = rules.flatMap(({ id }) => (id === 'placing' ? (['quota', 'admitted', id] as const) : [id]));

/** All joints, from the root up. A new one is one more file and one more line above (see docs/adding.md). */
export const jointRules: readonly (JointRule & { readonly id: JointId })[] = rules;

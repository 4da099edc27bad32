import type { Rule } from '../types';
import accountMissing from './account-missing';
import aliasBomb from './alias-bomb';
import apartFromNobody from './apart-from-nobody';
import attributesUnknown from './attributes-unknown';
import badName from './bad-name';
import badQuantity from './bad-quantity';
import badValue from './bad-value';
import bareMemberName from './bare-member-name';
import bearsLostNodes from './bears-lost-nodes';
import bindingWithoutAccount from './binding-without-account';
import bindsAtOnceZonal from './binds-at-once-zonal';
import blockVolumeMounted from './block-volume-mounted';
import budgetBlocksAll from './budget-blocks-all';
import budgetMatchesNothing from './budget-matches-nothing';
import budgetsOverlap from './budgets-overlap';
import certExpires from './cert-expires';
import certNameMissing from './cert-name-missing';
import certSecretApart from './cert-secret-apart';
import certWildcardDeep from './cert-wildcard-deep';
import claimMissing from './claim-missing';
import claimTemplateUnmounted from './claim-template-unmounted';
import claimsGoVolumesStay from './claims-go-volumes-stay';
import claimsOverSlots from './claims-over-slots';
import classDeletesData from './class-deletes-data';
import classNoGrowth from './class-no-growth';
import classUnknown from './class-unknown';
import clusterWide from './cluster-wide';
import companyOfNobody from './company-of-nobody';
import configMissing from './config-missing';
import cpuOverNode from './cpu-over-node';
import dataEphemeral from './data-ephemeral';
import dataPortOutside from './data-port-outside';
import deadlineBeforeReady from './deadline-before-ready';
import driverRightsMissing from './driver-rights-missing';
import duplicateObject from './duplicate-object';
import emptyClass from './empty-class';
import encryptionNoKey from './encryption-no-key';
import evenQuorum from './even-quorum';
import fileSystemUnmade from './file-system-unmade';
import findsNoPlace from './finds-no-place';
import fixedNodeWaits from './fixed-node-waits';
import graceTooShort from './grace-too-short';
import heldBack from './held-back';
import hostPath from './host-path';
import hostPathMissing from './host-path-missing';
import hostPortCrowded from './host-port-crowded';
import houseRules, { knowRules } from './house-rules';
import imageUnfit from './image-unfit';
import immutableChange from './immutable-change';
import issuerElsewhere from './issuer-elsewhere';
import issuerMissing from './issuer-missing';
import livenessHasty from './liveness-hasty';
import manyNodesOnBlock from './many-nodes-on-block';
import mapKeyMissing from './map-key-missing';
import memberNameLong from './member-name-long';
import membersKeptApart from './members-kept-apart';
import memoryBelowEngine from './memory-below-engine';
import memoryInThousandths from './memory-in-thousandths';
import memoryOverNode from './memory-over-node';
import missingField from './missing-field';
import modeLacking from './mode-lacking';
import moreMembersThanNodes from './more-members-than-nodes';
import mountAtRoot from './mount-at-root';
import mountWithoutVolume from './mount-without-volume';
import namespaceMissing from './namespace-missing';
import noDefaultClass from './no-default-class';
import noDisruptionBudget from './no-disruption-budget';
import noProvisionerAtOnce from './no-provisioner-at-once';
import noReadiness from './no-readiness';
import noRequests from './no-requests';
import noSourceRanges from './no-source-ranges';
import noWayBack from './no-way-back';
import noZoneSpread from './no-zone-spread';
import nodeLabelMissing from './node-label-missing';
import notAnObject from './not-an-object';
import oneNodeClaimShared from './one-node-claim-shared';
import overLimitRange from './over-limit-range';
import overQuota from './over-quota';
import parameterUnknown from './parameter-unknown';
import partitionHoldsAll from './partition-holds-all';
import passwordInEnv from './password-in-env';
import peersBeforeReady from './peers-before-ready';
import pinnedPairApart from './pinned-pair-apart';
import podsShutOut from './pods-shut-out';
import policyMatchesNothing from './policy-matches-nothing';
import poolCopiesOverNodes from './pool-copies-over-nodes';
import poolKeepersEven from './pool-keepers-even';
import poolTwoCopies from './pool-two-copies';
import priorityUnknown from './priority-unknown';
import privileged from './privileged';
import probeKillsStart from './probe-kills-start';
import probeUnheard from './probe-unheard';
import provisionerUnanswered from './provisioner-unanswered';
import pullSecretMissing from './pull-secret-missing';
import quotaSilent from './quota-silent';
import readOnlyWithoutSource from './read-only-without-source';
import recyclePolicy from './recycle-policy';
import referenceElsewhere from './reference-elsewhere';
import registryUnreachable from './registry-unreachable';
import retentionDeletes from './retention-deletes';
import roleMissing from './role-missing';
import rollingHoldsVolume from './rolling-holds-volume';
import sameButNamespace from './same-but-namespace';
import secretEmptied from './secret-emptied';
import secretMissing from './secret-missing';
import secretTyped from './secret-typed';
import selectorLabels from './selector-labels';
import selectorMatchesNothing from './selector-matches-nothing';
import setIsNoBackup from './set-is-no-backup';
import setServiceElsewhere from './set-service-elsewhere';
import setServiceMissing from './set-service-missing';
import setServiceNotHeadless from './set-service-not-headless';
import setServiceSelector from './set-service-selector';
import sizeDecimal from './size-decimal';
import sizeOutOfRange from './size-out-of-range';
import snapshotClassOtherDriver from './snapshot-class-other-driver';
import sourceMissing from './source-missing';
import spreadCountsOthers from './spread-counts-others';
import standbysNotWaited from './standbys-not-waited';
import tabIndent from './tab-indent';
import tagLatest from './tag-latest';
import targetPortUnheard from './target-port-unheard';
import tlsNoAuthority from './tls-no-authority';
import tlsSecretShape from './tls-secret-shape';
import tooDeep from './too-deep';
import topologiesElsewhere from './topologies-elsewhere';
import topologyKeyUnknown from './topology-key-unknown';
import tunnelWouldDo from './tunnel-would-do';
import twoDefaultClasses from './two-default-classes';
import twoUsualPriorities from './two-usual-priorities';
import twoZonesOnly from './two-zones-only';
import unknownField from './unknown-field';
import unknownKind from './unknown-kind';
import unservedVersion from './unserved-version';
import userOwnerApart from './user-owner-apart';
import volumeOutOfReach from './volume-out-of-reach';
import volumeRefused from './volume-refused';
import volumeUnmounted from './volume-unmounted';
import volumeWithoutRoom from './volume-without-room';
import wrongType from './wrong-type';
import yamlSyntax from './yaml-syntax';

/** All rules of the checker. A new one is a file here and a line in this list. */
export const rules: readonly Rule[] = [
  accountMissing,
  aliasBomb,
  apartFromNobody,
  attributesUnknown,
  badName,
  badQuantity,
  badValue,
  bareMemberName,
  bearsLostNodes,
  bindingWithoutAccount,
  bindsAtOnceZonal,
  blockVolumeMounted,
  budgetBlocksAll,
  budgetMatchesNothing,
  budgetsOverlap,
  certExpires,
  certNameMissing,
  certSecretApart,
  certWildcardDeep,
  claimMissing,
  claimTemplateUnmounted,
  claimsGoVolumesStay,
  claimsOverSlots,
  classDeletesData,
  classNoGrowth,
  classUnknown,
  clusterWide,
  companyOfNobody,
  configMissing,
  cpuOverNode,
  dataEphemeral,
  dataPortOutside,
  deadlineBeforeReady,
  driverRightsMissing,
  duplicateObject,
  emptyClass,
  encryptionNoKey,
  evenQuorum,
  fileSystemUnmade,
  findsNoPlace,
  fixedNodeWaits,
  graceTooShort,
  heldBack,
  hostPath,
  hostPathMissing,
  hostPortCrowded,
  houseRules,
  imageUnfit,
  immutableChange,
  issuerElsewhere,
  issuerMissing,
  livenessHasty,
  manyNodesOnBlock,
  mapKeyMissing,
  memberNameLong,
  membersKeptApart,
  memoryBelowEngine,
  memoryInThousandths,
  memoryOverNode,
  missingField,
  modeLacking,
  moreMembersThanNodes,
  mountAtRoot,
  mountWithoutVolume,
  namespaceMissing,
  noDefaultClass,
  noDisruptionBudget,
  noProvisionerAtOnce,
  noReadiness,
  noRequests,
  noSourceRanges,
  noWayBack,
  noZoneSpread,
  nodeLabelMissing,
  notAnObject,
  oneNodeClaimShared,
  overLimitRange,
  overQuota,
  parameterUnknown,
  partitionHoldsAll,
  passwordInEnv,
  peersBeforeReady,
  pinnedPairApart,
  podsShutOut,
  policyMatchesNothing,
  poolCopiesOverNodes,
  poolKeepersEven,
  poolTwoCopies,
  priorityUnknown,
  privileged,
  probeKillsStart,
  probeUnheard,
  provisionerUnanswered,
  pullSecretMissing,
  quotaSilent,
  readOnlyWithoutSource,
  recyclePolicy,
  referenceElsewhere,
  registryUnreachable,
  retentionDeletes,
  roleMissing,
  rollingHoldsVolume,
  sameButNamespace,
  secretEmptied,
  secretMissing,
  secretTyped,
  selectorLabels,
  selectorMatchesNothing,
  setIsNoBackup,
  setServiceElsewhere,
  setServiceMissing,
  setServiceNotHeadless,
  setServiceSelector,
  sizeDecimal,
  sizeOutOfRange,
  snapshotClassOtherDriver,
  sourceMissing,
  spreadCountsOthers,
  standbysNotWaited,
  tabIndent,
  tagLatest,
  targetPortUnheard,
  tlsNoAuthority,
  tlsSecretShape,
  tooDeep,
  topologiesElsewhere,
  topologyKeyUnknown,
  tunnelWouldDo,
  twoDefaultClasses,
  twoUsualPriorities,
  twoZonesOnly,
  unknownField,
  unknownKind,
  unservedVersion,
  userOwnerApart,
  volumeOutOfReach,
  volumeRefused,
  volumeUnmounted,
  volumeWithoutRoom,
  wrongType,
  yamlSyntax
];

knowRules(rules);

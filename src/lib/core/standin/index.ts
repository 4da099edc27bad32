export { adopted } from './adopt';
export { readAction, type Action } from './action';
export * from './admit/plan';
export { runsUnheard } from './engines/left-behind';
export { unmountWaitMs } from './control/storage/attaching';
export {
  claimLimitShut,
  claimShut,
  counts as quotaCounts,
  limitShut,
  podShut,
  priorityOf,
  securityShut,
  takenBy,
  unsaid,
  withLimits,
  type Shut
} from './admit/limits';
export { claimAsset, refusalsOf, removalRefusal } from './admit/admit';
export { claimFinalizer, filled, volumeFinalizer } from './admit/defaults';
export { stepSpans, type Step, type StepId, type SpanMs } from './clock/steps';
export { Schedule } from './clock/schedule';
export { loops } from './control';
export { missingReferences, referenceSentence, referencesOf } from './control/nodes/agent/references';
export { deadPort, killBy, probeFault, seenReadyMs } from './control/nodes/agent/probes';
export { attachmentName } from './control/storage/attaching';
export { fileSystemsUnder, fullMount, mountFault, mountsOf, ownerFault, userOf, type MountFault } from './control/nodes/agent/mounts';
export { noProvisioner, premadeFor, volumeFault, volumeFits, type VolumeFault } from './control/storage/premade';
export { growsAgainMs, growthFault } from './control/storage/growing';
export { asOperated, operatedKinds, operatorObjects, ownManifests, setFor } from './control/operators';
export { databaseFault } from './admit/databases';
export {
  isAdmitted,
  operatorCards,
  operatorDeployments,
  operatorFault,
  operatorNamed,
  operatorOf,
  operatorPods,
  rightsLacking,
  rightsWords,
  runsOperator,
  versionsOf,
  watchesOf,
  type OperatedKind,
  type OperatorCard
} from './provider/operators';
export { nodeBears } from './control/nodes/tainting';
export { definedBy } from './control/objects/collector';
export { jobEnds, jobState } from './control/workloads/jobs';
export { restedMark } from './control/workloads/resting';
export { decidesByMajority, engineCards, partRank, servesClients, type ConsoleForm, type EngineCard } from './cards/engines';
export { fitDisks } from './control/storage/pools';
export {
  asItStands,
  closedTo,
  faultRemedies,
  faultSentence,
  heldBack,
  podClaimsOf,
  placeFaultsNow,
  type PlaceFault,
  type PodClaims
} from './control/workloads/place-fault';
export { siblingsOf, type Sibling } from './control/workloads/placing';
export { madeAnew, makingFault, membersToBe, seekPlace, type MemberToBe } from './control/workloads/to-be';
export { accountOf } from './control/workloads/pods';
export { allowedPlaces, argumentFault, fsTypeOf, isEncrypted, zoneFor } from './control/storage/provisioning';
export { consistencyMark, defaultSnapshotMark, snapshotAsset, snapshotClassOf, snapshotLook } from './control/storage/snapshots';
export { sourceOf } from './control/storage/volume-source';
export { daemonRoll, keepsDaemon, takesDaemon } from './control/workloads/daemon-sets';
export { deploymentRoll, isNewestSet } from './control/workloads/deployments';
export { revisionOf } from './control/workloads/pods';
export { labelOf as setLabelOf, revisionLabel } from './control/workloads/revisions';
export { setRoll } from './control/workloads/sets';
export { assetOf, checksumOf, storeHolds } from './engines/little-store';
export { assetsOf } from './engines/processes';
export { restoredClaim, restoreRefusal, stoppedFor, type Restore } from './admit/restore';
export { isOwnClaim } from './control/storage/own-claims';
export { resolve, type Lookup } from './names';
export { decode as decodeShards, encode as encodeShards } from './engines/objects/erasure';
export { mostVolumes, storeLayout, type StoreLayout } from './engines/objects/layout';
export { storeKeyOption } from './engines/objects/sealing';
export { storeLayoutOf, wantedOf } from './engines/wanted';
export { emptyingSheet, type EmptyingLine } from './control/nodes/emptying-sheet';
export { databaseShare } from './engines/memory';
export { loginOf, markOf, passwordRef } from './engines/options';
export { hasEngine } from './engines/registry';
export type { Answer, Op } from './engines/site';
export {
  certificateFacts,
  certificateInSecret,
  issue,
  makeAuthority,
  nameCovers,
  readKeyPair,
  type CertificateFacts
} from './provider/certificates';
export * from './provider/tls';
export * from './engines/logins';
export * from './provider/outages';
export { allows, rulesFor } from './provider/accounts';
export { memberFault } from './provider/policies';
export * from './provider/reach';
export * from './engines/fill';
export * from './provider/backend';
export * from './provider/drivers';
export {
  callsSeen,
  cardFault,
  cardFor,
  driverTraits,
  likenessWords,
  pullsSeen,
  startsSeen,
  withLikeness,
  type DriverTraits
} from './provider/cards';
export * from './provider/image-versions';
export * from './provider/file-systems';
export * from './provider/pool';
export * from './provider/shared-files';
export * from './provider/driver';
export {
  driverPartOf,
  engineImage,
  enginePartOf,
  isSupposed,
  imageCard,
  imageParts,
  imageTag,
  operatorImages,
  partOfLabel,
  takesAlongMark,
  poolPartOf,
  shelfImages,
  workloadOf,
  workloadOfTemplate,
  type DriverPart,
  type EngineId,
  type EnginePart,
  type PoolPart,
  isKnownImage,
  listensAt,
  ordinaryMib
} from './provider/images';
export { pullOf } from './provider/registry';
export { copyOf } from './store/copy';
export * from './store/store';
export * from './store/views';
export { engineVersion } from './version';
export { hostPathFault, hasPathsMark } from './control/nodes/agent/host-paths';
export { driverOfClaim } from './control/storage/driver-call';
export { attributesFault, attributesOf, wantedAttributes } from './control/storage/attributes';
export { gateOpen, type FeatureGate } from './provider/feature-gates';
export { gatedFields, notPlayed, notPlayedValues, playedFields, type NotPlayed } from './played';
export * from './world';
export * from './estate';
export * from './provider/links';
export * from './provider/over';
export * from './provider/over-rights';
export { madeFromMark, membersOver, namesOver, overNormalMs } from './control/operators/over';
export { linkName } from './admit/join';
export * from './provider/installs';
export { groundObjects, namesIn, nodeIopsMark, nodeMbpsMark } from './ground/expand';
export { layoutFaults, type LayoutFault } from './ground/faults';
export {
  bucketFault,
  carriedBytes,
  chainTo,
  doneOf,
  engineFault,
  engineRunning,
  handsOutLog,
  podsRunning,
  isFar,
  linkPerSecond,
  runByHand,
  storeFacts,
  runsOf,
  workloadRef,
  type Broken
} from './control/backup/facts';
export { carriedMs } from './control/backup/pace';
export { followed, isOver, mirrorOf, takesNoWrites } from './control/mirrors';
export { keptOf, withBases, type Kept } from './control/backup/retention';
export { reachedBefore, returnWay } from './control/backup/returns';
export { type LogPiece } from './control/backup/shipping';

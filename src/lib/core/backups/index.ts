export { besideObjects, claimsFromSnapshots } from './beside';
export {
  askedOf,
  backWithinMark,
  figuresOf,
  latestMs,
  lengthMs,
  longestGapMs,
  loseAtMostMark,
  nextRunMs,
  returnsOf,
  type Asked,
  type Figures
} from './figures';
export { aheadDays, roomAhead, roomsAhead, storeBytes, type RoomAhead, type RoomPoint } from './room';
export { judgeBackup, type BackupFinding } from './findings';

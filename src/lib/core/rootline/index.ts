export * from './chain';
export { apartFault, linkRemedy } from './over';
export { overRemedy } from './joints/resource';
export * from './sentence';
export * from './supply';
export { whatBecame, type Became, type WhatBecame } from './exports/became';
export { whatIsWrong, type Wrong, type WrongView } from './exports/wrong';
export { jointIds, type JointId } from './joints';
export { type Evidence, type Look, type Remedy, type State } from './types';

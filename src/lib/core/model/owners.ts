import { entryOf, type ApiObject } from './kinds';

/** The reference with which a controller owns what it makes. */
export const ownerOf = (owner: ApiObject) => ({
  apiVersion: entryOf(owner.kind).apiVersion,
  kind: owner.kind,
  name: owner.metadata.name,
  uid: owner.metadata.uid ?? '',
  controller: true,
  blockOwnerDeletion: true
});

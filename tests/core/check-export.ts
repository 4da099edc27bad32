import { kindEntries, type ApiObject } from '$core/model';
import { south } from './help';

/** south-quay without its driver, as somebody with access to it would export it. */
export const exported = () => {
  const { store } = south();
  const items = kindEntries
    .filter((one) => !one.apiVersion.includes('standin.example'))
    .flatMap((one) => store.list(one.kind) as ApiObject[]);
  return { apiVersion: 'v1', kind: 'List', items };
};

import { plainText } from '../../shared';
import { kindEntry } from '../../model';
import { rule } from '../rule';

export default rule({
  id: 'unserved-version',
  level: 'error',
  title: 'This API version is no longer served',
  why: 'Old manifests name versions that clusters stopped serving long ago. The object is refused; the newer version often has the same fields.',
  bad: 'apiVersion: policy/v1beta1\nkind: PodDisruptionBudget\nmetadata: {name: store}\nspec: {maxUnavailable: 1, selector: {matchLabels: {app: store}}}\n',
  good: 'apiVersion: policy/v1\nkind: PodDisruptionBudget\nmetadata: {name: store}\nspec: {maxUnavailable: 1, selector: {matchLabels: {app: store}}}\n',
  repair({ written }) {
    const entry = kindEntry(plainText(written.value.kind));
    return entry && { says: `Write ${entry.apiVersion}`, own: [{ set: ['apiVersion'], value: entry.apiVersion }] };
  }
});

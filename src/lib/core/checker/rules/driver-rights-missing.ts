import { installObjects, installOf } from '../../standin';
import { writeManifests } from '../../manifest';
import { allows, rulesFor, driverPartOf } from '../../standin';
import type { Facts } from '../../model';
import { hit, rule } from '../rule';
import { meeting } from '../shut';

const bundle = (without?: string): string =>
  writeManifests(installObjects(installOf('block.standin.example')!).filter((one) => one.kind !== without));
const want = { verb: 'create', group: '', resource: 'persistentvolumes' };

export default rule({
  id: 'driver-rights-missing',
  level: 'error',
  title: 'A driver whose account may not make volumes',
  why: 'The controller of a driver writes volumes, attachments and snapshots down in the cluster under its service account. Without a role that is bound to the account each claim waits, and only its events name the verb that is missing.',
  absent: ['ClusterRole', 'ClusterRoleBinding'],
  bad: bundle('ClusterRoleBinding'),
  good: bundle(),
  check: (context) =>
    context.written('Deployment').flatMap((on) => {
      const { spec } = on.object.spec.template;
      if (driverPartOf(spec)?.part !== 'controller') return [];
      const namespace = on.object.metadata.namespace ?? 'default';
      const name = spec.serviceAccountName ?? 'default';
      const rules = rulesFor(meeting(context) as Facts, { namespace, name });
      if (allows(rules, want)) return [];
      return [
        hit(
          on,
          ['spec', 'template', 'spec', 'serviceAccountName'],
          `No role that is bound to ${namespace}/${name} lets it ${want.verb} ${want.resource}.`,
          "Send the driver's ClusterRole and its ClusterRoleBinding too."
        )
      ];
    })
});

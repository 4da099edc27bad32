import { join, service, set } from '../examples';
import { memberFault } from '../../standin';
import type { Facts, Pod } from '../../model';
import { hit, rule } from '../rule';
import { meeting } from '../shut';

const image = 'shelf.standin.example/engines/multi-primary-sql:r4';
const policy = (rules: string): string =>
  `apiVersion: networking.k8s.io/v1\nkind: NetworkPolicy\nmetadata: {name: clients}\nspec: {podSelector: {matchLabels: {app: store}}, ingress: [${rules}]}\n`;
const clients = '{from: [{podSelector: {matchLabels: {app: desk}}}], ports: [{port: 7110}]}';
const among = '{from: [{podSelector: {matchLabels: {app: store}}}]}';

export default rule({
  id: 'members-kept-apart',
  level: 'error',
  title: 'A policy that keeps members from each other',
  why: 'Once a network policy chooses a pod, nobody calls it but who is let in. Members of a store call each other at ports of their own; forgotten there, each stands alone and none has a majority.',
  bad: join(service(), set({ image, spec: 'replicas: 3' }), policy(clients)),
  good: join(service(), set({ image, spec: 'replicas: 3' }), policy(`${clients}, ${among}`)),
  check: (context) =>
    context.written('StatefulSet', 'NetworkPolicy').flatMap((on) => {
      const space = on.object.metadata.namespace ?? 'default';
      const sets = on.object.kind === 'StatefulSet' ? [on.object] : context.all('StatefulSet', space);
      return sets.flatMap((one) => {
        if ((one.spec.replicas ?? 1) < 2) return [];
        // Said where the policy is written, if it is; at the set otherwise.
        const policyWritten = context.written('NetworkPolicy').some((two) => (two.object.metadata.namespace ?? 'default') === space);
        if (on.object.kind === 'StatefulSet' && policyWritten) return [];
        const member = (n: number): Pod => ({
          apiVersion: 'v1',
          kind: 'Pod',
          metadata: { name: `${one.metadata.name}-${n}`, namespace: space, labels: one.spec.template.metadata?.labels ?? {} },
          spec: one.spec.template.spec
        });
        const facts = {
          ...meeting(context),
          list: (kind: 'NetworkPolicy', named?: string) => context.all(kind, named ?? space)
        } as unknown as Facts;
        // Members bear the same labels: what keeps one from another keeps the other from it.
        const fault = memberFault(facts, member(1), member(0));
        const name = on.object.metadata.name;
        return fault && (on.object.kind === 'StatefulSet' || fault.includes(name))
          ? [
              hit(
                on,
                ['spec', on.object.kind === 'StatefulSet' ? 'template' : 'podSelector'],
                `${fault}.`,
                'Let the members in and out among themselves too: a rule whose peer is their own selector.'
              )
            ]
          : [];
      });
    })
});

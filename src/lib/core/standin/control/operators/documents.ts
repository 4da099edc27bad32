import { clusterDomain, type ApiObject, type DocumentSet, type StatefulSet } from '../../../model';
import { engineImage, partOfLabel } from '../../provider/images';
import { makeCredentials } from './credentials';
import type { ClusterAccess } from '../loop';
import { ensure, ensureSet, isIssued, owned, ownSecrets, report, reportMembers, setYaml } from './expanding';
import { ownManifests } from './objects';

const names = ({ metadata: { name, namespace = '' }, spec }: DocumentSet, domain: string): string[] => {
  const tail = `${name}.${namespace}.svc.${domain}`;
  return [...Array.from({ length: spec.members }, (_, i) => `${name}-${i}.${tail}`), tail];
};

/**
 * A certificate with the name of every member; asked for anew when members are added. One that somebody else asked for is left as it is.
 * Gives whether it is issued.
 */
export function certified(world: ClusterAccess, one: DocumentSet, wanted = names(one, clusterDomain(world.store))): boolean {
  const { name, namespace = '' } = one.metadata;
  const [issuer, certificate] = ownManifests(`
apiVersion: engines.standin.example/v1
kind: Issuer
metadata: {name: ${name}-authority, namespace: ${namespace}, labels: {app.kubernetes.io/part-of: ${name}}}
spec: {authority: ${name}-authority, make: true}
---
apiVersion: engines.standin.example/v1
kind: Certificate
metadata: {name: ${name}, namespace: ${namespace}, labels: {app.kubernetes.io/part-of: ${name}}}
spec: {secret: ${name}-tls, issuer: {name: ${name}-authority}, set: ${name}, days: 90, names: [${wanted.join(', ')}]}
`);
  ensure(world, issuer!, owned(one));
  const known = world.store.get('Certificate', namespace, name);
  if (!known) ensure(world, certificate!, owned(one));
  else {
    ensure(world, certificate!, owned(one));
    const ours = !one.spec.clusters || known.metadata.labels?.[partOfLabel] === name;
    if (ours && wanted.some((two) => !known.spec.names.includes(two)))
      world.put({
        ...world.store.get('Certificate', namespace, name)!,
        spec: { ...known.spec, names: [...new Set([...known.spec.names, ...wanted])] }
      });
  }
  return isIssued(world.store.get('Certificate', namespace, name));
}

/** The set of members that a document set comes to. @param members so many of them, and from which number on, where it isn't all of them */
export function documentsSet(one: DocumentSet, members = one.spec.members): StatefulSet {
  const { name } = one.metadata;
  const { tls } = one.spec;
  const [set] = ownManifests(
    setYaml({
      resource: one,
      members,
      blueprint: 'document-set',
      image: engineImage('document-set', 'member'),
      ports: '[{name: documents, containerPort: 7170}]',
      secret: `${name}-access`,
      mount: '/var/lib/engine',
      config: `${name}-config`,
      ...(tls ? { tls: `${name}-tls` } : {})
    })
  );
  return set as StatefulSet;
}

/** A document set is expanded in stages: certificate, credentials and configuration, names, members. */
export function expandDocuments(world: ClusterAccess, one: DocumentSet): void {
  const { name, namespace = '' } = one.metadata;
  const { members, tls } = one.spec;
  if (tls && !certified(world, one))
    return report(world, one, 'certificate', 'False', 'CertificateIssued', `The certificate ${name} is being issued.`);
  makeCredentials(world, namespace, `${name}-access`, name, []);
  ownSecrets(world, one, [`${name}-access`, ...(tls ? [`${name}-tls`, `${name}-authority`] : [])]);
  const [config, service] = surroundings(
    one,
    Array.from({ length: members }, (_, i) => `${name}-${i}`)
  );
  ensure(world, config!, owned(one));
  if (ensure(world, service!, owned(one))) report(world, one, 'names', 'False', 'Expanding', `The service ${name} was made.`);
  ensureSet(world, documentsSet(one), owned(one));
  reportMembers(world, one, 'members', 'members', members);
}

/** What its members read and are found by: the configuration, and the headless service. The first of the members is favoured. */
export function surroundings({ metadata, spec }: DocumentSet, members: readonly string[]): ApiObject[] {
  const { name, namespace = '' } = metadata;
  const priorities = members.map((member, i) => `${member}=${i === 0 ? 3 : 1}`).join(', ');
  return ownManifests(`
apiVersion: v1
kind: ConfigMap
metadata: {name: ${name}-config, namespace: ${namespace}, labels: {app.kubernetes.io/part-of: ${name}}}
data:
  engine.conf: |
    set_name = ${name}
    priorities = ${priorities}
    tls = ${spec.tls ? 'on' : 'off'}
---
apiVersion: v1
kind: Service
metadata: {name: ${name}, namespace: ${namespace}, labels: {app.kubernetes.io/part-of: ${name}}}
spec:
  clusterIP: None
  publishNotReadyAddresses: true
  selector: {app: ${name}}
  ports: [{name: documents, port: 7170, protocol: TCP}]
`);
}

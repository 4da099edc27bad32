import { bytesOf } from '../shared';
import { engineImage } from '../standin';
import {
  choice,
  classQuestion,
  count,
  countQuestion,
  footing,
  nameQuestion,
  objectsIn,
  sizeQuestion,
  sizeWords,
  spaceQuestion,
  takesMark,
  takesQuestion,
  takesSentence
} from './parts';
import type { Answers, Blueprint } from './types';

const claim = (answers: Answers, mode: string): string => `
apiVersion: v1
kind: PersistentVolumeClaim
metadata: {name: ${answers.name}, namespace: ${answers.namespace}, labels: {app.kubernetes.io/part-of: ${answers.name}}}
spec:
  accessModes: [${mode}]
  storageClassName: ${answers.class}
  resources: {requests: {storage: ${answers.size}}}
`;

/** Head of a workload's object, to the account of its pods: what all three kinds begin with. */
const workloadHead = ({ name, namespace, takes }: Answers, kind: string, blueprint: string, spec: readonly string[]): string => `
apiVersion: apps/v1
kind: ${kind}
metadata:
  name: ${name}
  namespace: ${namespace}
  labels: {app: ${name}, app.kubernetes.io/part-of: ${name}, standin.example/blueprint: ${blueprint}}${takesMark(takes)}
spec:
${spec.map((line) => `  ${line}\n`).join('')}  selector: {matchLabels: {app: ${name}}}
  template:
    metadata: {labels: {app: ${name}, app.kubernetes.io/part-of: ${name}}}
    spec:
      serviceAccountName: ${name}`;

/** Shared files: one volume that many members write to at once. */
export const sharedFiles: Blueprint = {
  id: 'shared-files',
  title: 'shared files',
  says: 'One file system that many members, or all nodes, see at once.',
  questions: [
    nameQuestion('chartroom'),
    spaceQuestion('charts'),
    choice('users', 'Mounted by', 'pods', [
      ['pods', 'members on different nodes'],
      ['nodes', 'an agent on every node']
    ]),
    countQuestion('members', 'Members', 3, [1, 12]),
    sizeQuestion('1Ti', 'Size'),
    classQuestion,
    takesQuestion
  ],
  sentence:
    'Shared files named {name} in {namespace}, {size} from class {class}, mounted by {users}. Where members mount them, there are {members}. ' +
    takesSentence,
  faults: () => [],
  objects(answers, secret) {
    const { name, namespace } = answers;
    const footed = footing(answers, {}, secret);
    const pods = `
apiVersion: v1
kind: Service
metadata: {name: ${name}, namespace: ${namespace}, labels: {app.kubernetes.io/part-of: ${name}}}
spec:
  clusterIP: None
  selector: {app: ${name}}
  ports: [{name: files, port: ${answers.users === 'pods' ? 7210 : 7211}}]
`;
    const set = `${workloadHead(answers, 'StatefulSet', 'shared-files', [`replicas: ${count(answers, 'members')}`, 'podManagementPolicy: Parallel', `serviceName: ${name}`])}
      affinity:
        podAntiAffinity:
          requiredDuringSchedulingIgnoredDuringExecution:
          - topologyKey: kubernetes.io/hostname
            labelSelector: {matchLabels: {app: ${name}}}
      containers:
      - name: files
        image: ${engineImage('shared-files', 'user')}
        resources: {requests: {cpu: 100m, memory: 256Mi}}
        volumeMounts: [{name: files, mountPath: /srv/files}]
      volumes:
      - name: files
        persistentVolumeClaim: {claimName: ${name}}
`;
    const agent = `${workloadHead(answers, 'DaemonSet', 'shared-files', [])}
      containers:
      - name: agent
        image: ${engineImage('shared-files', 'agent')}
        securityContext: {privileged: true}
        resources: {requests: {cpu: 50m, memory: 64Mi}}
        volumeMounts:
        - {name: files, mountPath: /srv/files, mountPropagation: Bidirectional}
      volumes:
      - name: files
        persistentVolumeClaim: {claimName: ${name}}
`;
    return objectsIn([footed, claim(answers, 'ReadWriteMany'), pods, answers.users === 'pods' ? set : agent].join('---\n'));
  },
  figures: (answers) => [
    { label: 'volumes', value: '1', note: 'shared by all' },
    { label: 'size asked for', value: sizeWords(bytesOf(answers.size ?? '0')) },
    { label: 'mounted', value: answers.users === 'pods' ? `${answers.members} times` : 'once a node' }
  ]
};

/** A shelf of images in the cluster itself. */
export const imageShelf: Blueprint = {
  id: 'image-shelf',
  title: 'image shelf',
  says: 'Images pushed and pulled by name; begun on a directory, moved to a claim when they are to stay.',
  questions: [
    nameQuestion('image-shelf'),
    spaceQuestion('shelf'),
    choice('keeps', 'Kept', 'claim', [
      ['claim', 'on a claim'],
      ['directory', 'in a directory of its pod, lost with it']
    ]),
    sizeQuestion('70Gi', 'Size'),
    classQuestion,
    takesQuestion
  ],
  sentence:
    'An image shelf named {name} in {namespace}. Images are kept {keeps}; a claim asks for {size} from class {class}. ' + takesSentence,
  objects(answers, secret) {
    const { name, namespace } = answers;
    const kept = answers.keeps === 'claim';
    return objectsIn(
      [
        footing(answers, {}, secret),
        ...(kept ? [claim(answers, 'ReadWriteOnce')] : []),
        `
apiVersion: v1
kind: Service
metadata: {name: ${name}, namespace: ${namespace}, labels: {app.kubernetes.io/part-of: ${name}}}
spec:
  selector: {app: ${name}}
  ports: [{name: https, port: 7220}]
`,
        `${workloadHead(answers, 'Deployment', 'image-shelf', ['replicas: 1', 'strategy: {type: Recreate}'])}
      containers:
      - name: shelf
        image: ${engineImage('image-shelf', 'shelf')}
        ports: [{name: https, containerPort: 7220}]
        resources: {requests: {cpu: 250m, memory: 512Mi}}
        volumeMounts: [{name: images, mountPath: /var/lib/shelf}]
      volumes:
      - name: images
        ${kept ? `persistentVolumeClaim: {claimName: ${name}}` : 'emptyDir: {}'}
`
      ].join('---\n')
    );
  },
  figures: (answers) => [
    { label: 'volumes', value: answers.keeps === 'claim' ? '1' : 'none' },
    { label: 'size asked for', value: answers.keeps === 'claim' ? sizeWords(bytesOf(answers.size ?? '0')) : '–' },
    {
      label: 'a new pod',
      value: answers.keeps === 'claim' ? 'finds its images' : 'starts empty',
      note: answers.keeps === 'claim' ? 'torn down before it is built up' : ''
    }
  ]
};

import { amountText, type Facts } from '../../model';
import { wholeOf } from './prices';

/** A list to begin with: this cluster's nodes and classes, with prices that are made up. */
export function exampleList(facts: Facts): string {
  const sizes = new Map<string, { cpu: string; memory: string; rate: number }>();
  for (const node of facts.list('Node')) {
    const room = wholeOf(node);
    const [cpu, memory] = [amountText('cpu', room.milliCpu), amountText('memory', room.memoryBytes)];
    sizes.set(`${cpu}:${memory}`, { cpu, memory, rate: (room.milliCpu / 1_000) * 7 + (room.memoryBytes / 2 ** 30) * 1.1 });
  }
  const nodes = [...sizes.values()].map(
    ({ cpu, memory, rate }, i) => `  - {name: size ${i + 1}, cpu: '${cpu}', memory: ${memory}, price: ${rate.toFixed(2)} per month}`
  );
  const volumes = facts
    .list('StorageClass')
    .map((one, i) => `  - {class: ${one.metadata.name}, price: ${(0.29 + 0.06 * i).toFixed(2)} per GiB month}`);
  return `# Every price in here is made up: write your own.
apiVersion: standin.example/v1
kind: PriceList
metadata: {name: made-up}
spec:
  unit: crowns
  nodes:${nodes.length ? `\n${nodes.join('\n')}` : ' []'}
  volumes:
${volumes.map((one) => `${one}\n`).join('')}  - {class: '*', price: 0.27 per GiB month}
  snapshots: 0.17 per GiB month
  addresses: 5.60 per month
  traffic: 0.037 per GiB
`;
}

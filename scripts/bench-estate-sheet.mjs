// Measures the estate with fifty clusters in the browser: how long the sheet takes until it can be used, first and again.
import { chromium } from '@playwright/test';
import { chromiumOptions } from './chromium.mjs';
import { ownServer } from './own-server.mjs';

const clusters = 50;
const opens = 5;
const { base, end } = await ownServer({ empty: true });
const yaml = async (path, body) => {
  const response = await fetch(`${base}/api/v1${path}`, { method: 'POST', headers: { 'content-type': 'application/yaml' }, body });
  if (!response.ok) throw new Error(`${path}: ${await response.text()}`);
};
const ground = (n) => `apiVersion: standin.example/v1
kind: Ground
metadata: {name: pier-${n}}
spec:
  version: "1.32"
  clusterDomain: cluster.local
  issuer: https://issuer.pier-${n}.example
  podRange: 10.${n}.0.0/16
  serviceRange: 10.${n + 100}.0.0/20
  nodeRange: 172.30.${n}.0/24
  control: {shape: small, quorum: 1, members: 1, mode: active-passive, balancer: 172.30.${n}.5}
  groups: [{name: worker, zone: a, count: 3, cpu: "8", memory: 32Gi, disks: [{size: 120Gi, holds: system}, {size: 400Gi}], speed: {iops: 20000, mbps: 800}}]
  registries: [{name: shelf, host: shelf.standin.example, reachable: true, bytesPerSecond: 60000000}]
  firstClass: {name: steady-block, provisioner: block.standin.example, volumeBindingMode: WaitForFirstConsumer, allowVolumeExpansion: true}
`;
const set = `apiVersion: apps/v1
kind: StatefulSet
metadata: {name: ledger, namespace: default}
spec:
  replicas: 3
  selector: {matchLabels: {app: ledger}}
  template:
    metadata: {labels: {app: ledger}}
    spec: {containers: [{name: main, image: "shelf.standin.example/tools/plain:1"}]}
`;
try {
  for (let n = 0; n < clusters; n += 1) {
    await yaml('/clusters', ground(n));
    await yaml(`/rehearsals/pier-${n}/send`, set);
  }
  const browser = await chromium.launch(chromiumOptions);
  const page = await browser.newPage();
  const took = [];
  for (let n = 0; n < opens; n += 1) {
    const fromMs = performance.now();
    await page.goto(`${base}/`);
    await page.locator('html[data-ready]').waitFor();
    await page.getByText('pier-49').first().waitFor();
    took.push(performance.now() - fromMs);
  }
  await browser.close();
  const rest = took.slice(1).sort((a, b) => a - b);
  console.log(
    `${`the estate with ${clusters} clusters`.padEnd(58)} ${took[0].toFixed(0)} ms first, ${rest[Math.floor(rest.length / 2)].toFixed(0)} ms then (1,000 allowed)`
  );
} finally {
  end();
}

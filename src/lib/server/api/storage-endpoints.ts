import { z } from 'zod';
import { writeManifests } from '$core/manifest';
import type { Ground } from '$core/model';
import { driverCards, installObjects, installOf, poolOperatorObjects, versionFault, driverCard } from '$core/standin';
import { done, notFound, refusalOf, refused, type Answer, type App } from '../services';
import { claimColumns } from '../views/claims';
import { endpoint, listed } from './endpoint';

const rehearsal = '/rehearsals/{id}';
const name = z.string().min(1).max(253);

/** How the table of claims is read, from an address or a call. Numbers and flags come as texts. */
export const claimsQuery = z.object({
  sort: z.enum(claimColumns).optional(),
  down: z.stringbool().optional(),
  text: z.string().max(200).optional(),
  namespace: z.string().optional(),
  class: z.string().optional(),
  state: z.string().optional(),
  full: z.coerce.number().min(0).max(100).optional(),
  from: z.coerce.number().int().min(0).optional(),
  limit: z.coerce.number().int().min(1).max(20_000).optional()
});

const needs = z.strictObject({
  name,
  users: z.enum(['one', 'many']),
  grow: z.boolean(),
  keep: z.boolean(),
  encrypt: z.boolean(),
  fsType: z.enum(['any', 'ext4', 'xfs']),
  speed: z.enum(['steady', 'fast', 'cheap']),
  isDefault: z.boolean()
});

/** Reads one ground document out of a body; anything else is a problem. */
async function groundIn(app: App, text: string): Promise<Answer<Ground>> {
  const read = await app.rehearsals.read(text);
  if (!read.ok) return read;
  const objects = read.value;
  const ground = objects.find((one) => one.kind === 'Ground');
  return ground?.kind === 'Ground' && objects.length === 1
    ? done(ground)
    : refused(
        refusalOf([
          {
            code: 'bad-layout',
            message: `A layout is one document of kind Ground; ${objects.length} objects were handed in.`,
            remedy: 'Hand in what "Export" gave, and nothing beside it.',
            at: {}
          }
        ])
      );
}

const shipping = [
  endpoint({
    method: 'GET',
    path: '/drivers/{driver}/install',
    summary: 'The manifests that install a driver which ships with the stand-in',
    query: z.object({ version: z.string().optional(), cluster: z.string().optional() }),
    answer: 'DriverInstall',
    async run({ params, query }) {
      const card = driverCard(params.driver);
      const offered = installOf(params.driver, query.cluster);
      if (!card || !offered)
        return refused(
          notFound(
            `The driver ${params.driver}`,
            `Drivers that ship with the stand-in: ${driverCards.map((one) => one.driver).join(', ')}.`
          )
        );
      const version = query.version ?? offered.version;
      const fault = versionFault(card, version, query.cluster ?? '1.32');
      if (fault)
        return refused({
          code: 'unfit-version',
          status: 422,
          title: 'This version does not fit',
          detail: `${fault}.`,
          remedy: `Take ${offered.version}.`
        });
      const install = { ...offered, version };
      return done({ driver: install.driver, version, yaml: writeManifests(installObjects(install)) });
    }
  }),
  endpoint({
    method: 'GET',
    path: '/operators/pool/install',
    summary: 'The manifests that install the operator of pools',
    query: z.object({ cluster: z.string().optional() }),
    answer: 'Yaml',
    async run({ query }) {
      const offered = installOf('pool.standin.example', query.cluster);
      return offered
        ? done({ yaml: writeManifests(poolOperatorObjects(offered.version)) })
        : refused(notFound('A fitting version of the operator'));
    }
  })
];

const restoring = z.strictObject({ namespace: name, claim: name, snapshot: name });

const claiming = [
  endpoint({
    method: 'GET',
    path: `${rehearsal}/sheets/claims`,
    summary: 'The claims, sorted and narrowed, as many rows of them as are asked for',
    query: claimsQuery,
    answer: 'ClaimsSheet',
    run: ({ app, params, query }) => app.rehearsals.ask(params.id, 'claims', query)
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/claim`,
    summary: 'One claim, by question',
    query: z.object({ namespace: name, name }),
    answer: 'ClaimInspection',
    async run({ app, params, query }) {
      const found = await app.rehearsals.ask(params.id, 'claim', query);
      return !found.ok
        ? found
        : found.value
          ? done(found.value)
          : refused(notFound(`PersistentVolumeClaim ${query.namespace}/${query.name}`));
    }
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/grow-set`,
    summary: 'Manifests that grow all claims of a set, and its template; their change sheet offers the way round',
    query: z.object({ namespace: name, set: name, template: name, size: z.string().min(1) }),
    answer: 'Yaml',
    async run({ app, params, query }) {
      const found = await app.rehearsals.ask(params.id, 'growSet', query);
      if (!found.ok) return found;
      return found.value === undefined
        ? refused(notFound(`The template ${query.template} of StatefulSet ${query.namespace}/${query.set}`))
        : done({ yaml: found.value });
    }
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/write`,
    deed: 'wrote a row',
    revised: 'rehearsal',
    summary: 'Let a running pod write one row into its first volume',
    body: z.strictObject({ namespace: name, pod: name, key: z.string().min(1).max(200), value: z.string().max(2_000) }),
    answer: 'Acted',
    run: ({ app, params, body, revision }) => app.rehearsals.act(params.id, { type: 'write', ...body }, revision)
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/damage`,
    deed: 'damaged a volume',
    revised: 'rehearsal',
    summary: "Damage what lies in a claim's volume, on purpose",
    body: z.strictObject({ namespace: name, claim: name }),
    answer: 'Acted',
    run: ({ app, params, body, revision }) => app.rehearsals.act(params.id, { type: 'damage', ...body }, revision)
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/restore-sheet`,
    needs: 'reader',
    deed: null,
    summary: 'What putting a snapshot in the place of a claim would do',
    body: restoring,
    answer: 'RestoreSheet',
    run: ({ app, params, body }) => app.rehearsals.ask(params.id, 'restore', body)
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/restore`,
    deed: 'restored a claim',
    revised: 'rehearsal',
    summary: 'Put a snapshot in the place of a claim: who uses it stops, the claim is swapped, and they start again',
    body: restoring.extend({ confirm: z.string().optional().describe("the cluster's name: what was written since the snapshot is lost") }),
    answer: 'Acted',
    async run({ app, params, body: { confirm, ...ask }, revision }) {
      const loss = await app.rehearsals.restoreGuard(params.id, ask, confirm);
      return loss ? refused(loss) : app.rehearsals.act(params.id, { type: 'restore', ...ask }, revision);
    }
  })
];

const supplying = [
  endpoint({
    method: 'GET',
    path: `${rehearsal}/remedy`,
    summary: 'What mends a gate of the ground, of a driver or of a class, as manifests to send',
    query: z.object({
      ground: z.string().optional(),
      driver: z.string().optional(),
      class: z.string().optional(),
      joint: z.string().optional()
    }),
    answer: 'Remedy',
    async run({ app, params, query }) {
      const found = await app.rehearsals.ask(params.id, 'remedy', query);
      return !found.ok
        ? found
        : found.value
          ? done(found.value)
          : refused(notFound('A remedy that can be sent', 'The gate holds, or what mends it can only be told in words.'));
    }
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/assets/{backend}`,
    summary: 'The assets of a backend: whom each serves, and orphans',
    answer: 'AssetsSheet',
    async run({ app, params }) {
      const found = await app.rehearsals.ask(params.id, 'assets', { backend: params.backend });
      return !found.ok ? found : found.value ? done(found.value) : refused(notFound(`Backend ${params.backend}`));
    }
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/design-class`,
    needs: 'reader',
    deed: null,
    summary: 'The class that answers to needs, with the reasons',
    body: needs,
    answer: 'ClassDesign',
    run: ({ app, params, body }) => app.rehearsals.ask(params.id, 'design', { needs: body })
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/trials`,
    deed: 'tried a class',
    revised: 'rehearsal',
    summary: 'Try a class with a throw-away claim and pods, on a fork or on the trunk, and keep the evidence',
    body: z.strictObject({ class: name, where: z.enum(['fork', 'trunk']).default('fork') }),
    answer: 'Trial',
    run: ({ app, params, body, revision }) => app.trials.run(params.id, body.class, body.where, revision)
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/trials`,
    summary: 'The latest trial of each class',
    answer: 'Trials',
    run: ({ app, params }) => listed(app.trials.latest(params.id))
  })
];

const layingOut = [
  endpoint({
    method: 'POST',
    path: '/layouts/check',
    needs: 'reader',
    deed: null,
    summary: 'What is wrong with a ground document, and what it would come to',
    body: 'manifests',
    answer: 'LayoutCheck',
    async run({ app, body }) {
      const ground = await groundIn(app, body);
      if (ground.ok) return done(await app.layouts.check(ground.value));
      const check = app.layouts.refusedCheck(body);
      return check ? done(check) : ground;
    }
  }),
  endpoint({
    method: 'POST',
    path: '/clusters',
    deed: 'laid a cluster out',
    summary: 'Make a cluster from a ground document',
    body: 'manifests',
    answer: 'ClusterId',
    status: 201,
    async run({ app, body }) {
      const ground = await groundIn(app, body);
      return ground.ok ? app.layouts.make(ground.value) : ground;
    }
  }),
  endpoint({
    method: 'GET',
    path: '/clusters/{name}/ground',
    summary: "A cluster's ground document",
    answer: 'Yaml',
    run: ({ app, params }) => app.layouts.document(params.name)
  }),
  endpoint({
    method: 'DELETE',
    path: '/clusters/{name}',
    needs: 'keeper',
    deed: 'took a cluster away',
    summary: 'Take a cluster that was laid out here away, with its rehearsals',
    answer: 'RehearsalIds',
    run: ({ app, params }) => app.removeCluster(params.name)
  })
];

/** What concerns ground, supply and claims. */
export const storageEndpoints = [...shipping, ...claiming, ...supplying, ...layingOut];

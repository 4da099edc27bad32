/* The layers of the application. Each rule is tried on a planted violation by tests/structure/layers.test.ts. */
const core = '^src/lib/core/';
const { layers, standinLayers } = require('./.dependency-layers.cjs');

const standinRules = Object.entries(standinLayers).map(([folder, below]) => ({
  name: `standin-${folder}-looks-down-only`,
  comment: `standin/${folder} may use values of ${below.join(', ') || 'nothing'} of the stand-in`,
  severity: 'error',
  from: { path: `${core}standin/${folder}/` },
  to: {
    path: `${core}standin/[^/]+/`,
    pathNot: `${core}standin/(${[folder, ...below].join('|')})/`,
    dependencyTypesNot: ['type-only']
  }
}));

// The topmost folder may look at all others, so it has no rule.
const layerRules = Object.entries(layers)
  .filter(([folder]) => folder !== 'briefs')
  .map(([folder, below]) => ({
    name: `core-${folder}-looks-down-only`,
    comment: `core/${folder} may use ${below.join(', ') || 'nothing'} of the core`,
    severity: 'error',
    from: { path: `${core}${folder}/` },
    to: { path: core, pathNot: `${core}(${[folder, ...below].join('|')})/` }
  }));

module.exports = {
  forbidden: [
    ...layerRules,
    ...standinRules,
    { name: 'no-cycles', severity: 'error', from: {}, to: { circular: true, viaOnly: { dependencyTypesNot: ['type-only'] } } },
    {
      name: 'core-is-pure',
      comment: 'no Node, no Svelte, no server, no interface in the core',
      severity: 'error',
      from: { path: core },
      to: {
        pathNot: `${core}|node_modules/(zod|yaml|tinyqueue|js-base64|ipaddr\\.js|@noble/(hashes|curves|ciphers)|@peculiar/(x509|asn1-(x509|schema|pkcs8|ecc))|@digitaldefiance/reed-solomon-erasure\\.wasm|reflect-metadata|js-yaml|croner|@marcbachmann/cel-js|highs|papaparse)/|^@digitaldefiance/reed-solomon-erasure\\.wasm/wasm`
      }
    },
    {
      name: 'core-folders-have-one-door',
      comment: "from outside the core only a folder's index.ts is used",
      severity: 'error',
      from: { pathNot: core },
      to: { path: `${core}[^/]+/.+`, pathNot: `${core}[^/]+/index\\.ts$` }
    },
    {
      name: 'ui-never-reaches-the-server',
      severity: 'error',
      from: { path: '^src/lib/ui/' },
      to: { path: '^src/lib/server/', dependencyTypesNot: ['type-only'] }
    },
    {
      name: 'routes-go-through-services',
      comment: 'routes never touch repositories or the database',
      severity: 'error',
      from: { path: '^src/routes/' },
      to: { path: '^src/lib/server/(db|repositories)/' }
    }
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    webpackConfig: { fileName: '.dependency-cruiser-aliases.cjs' },
    enhancedResolveOptions: { extensions: ['.ts', '.js', '.svelte', '.json'] }
  }
};

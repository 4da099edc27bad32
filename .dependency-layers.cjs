/* Which folder of the core may use which, lowest first. */
const layers = {
  shared: [],
  model: ['shared'],
  validation: ['shared', 'model'],
  manifest: ['shared', 'model', 'validation'],
  standin: ['shared', 'model', 'validation', 'manifest'],
  supposed: ['shared', 'model', 'standin'],
  exports: ['shared', 'model'],
  dumps: ['shared', 'model', 'manifest', 'standin', 'exports'],
  checker: ['shared', 'model', 'manifest', 'standin', 'supposed'],
  drafts: ['shared', 'model', 'manifest'],
  change: ['shared', 'model', 'manifest', 'standin', 'supposed'],
  rootline: ['shared', 'model', 'manifest', 'standin', 'change', 'exports'],
  proofs: ['shared', 'model', 'manifest', 'standin', 'change', 'exports', 'rootline'],
  drills: ['shared', 'model', 'manifest', 'standin', 'rootline', 'proofs'],
  backups: ['shared', 'model', 'manifest', 'standin'],
  fit: ['shared', 'model', 'manifest', 'standin', 'supposed', 'rootline'],
  estate: ['shared', 'model', 'manifest', 'standin', 'rootline'],
  sizing: ['shared', 'model', 'manifest', 'standin', 'proofs', 'backups'],
  moving: ['shared', 'model', 'manifest', 'standin', 'supposed', 'change', 'rootline', 'proofs', 'drills', 'fit'],
  blueprints: ['shared', 'model', 'manifest', 'standin', 'sizing'],
  gates: ['shared', 'model', 'manifest', 'standin', 'change', 'exports', 'rootline', 'sizing'],
  briefs: ['shared', 'model', 'manifest', 'standin', 'change', 'rootline', 'proofs', 'sizing', 'blueprints', 'gates']
};

// Inside the stand-in values go one way, too; types may come from above.
const standinLayers = {
  clock: [],
  cards: ['clock'],
  provider: ['clock', 'cards'],
  store: ['cards', 'provider'],
  engines: ['clock', 'cards', 'provider'],
  admit: ['clock', 'cards', 'provider', 'engines']
};

module.exports = { layers, standinLayers };

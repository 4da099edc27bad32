/* The aliases of svelte.config.js in the form that dependency-cruiser reads them in. */
const path = require('node:path');
const at = (folder) => path.join(__dirname, folder);

module.exports = {
  resolve: {
    alias: { $core: at('src/lib/core'), $server: at('src/lib/server'), $ui: at('src/lib/ui') },
    extensions: ['.ts', '.js', '.svelte', '.json']
  }
};

// Tells each planted fault as soon as it was tried.
import { declareClassPlugin, PluginKind } from '@stryker-mutator/api/plugin';

class LineReporter {
  tried = 0;
  survived = 0;

  onMutantTested({ status, fileName, location, mutatorName, replacement }) {
    // What is computed once at loading is left out, and what the compiler refuses is no fault that a test could meet: neither counts.
    if (status === 'Ignored' || status === 'CompileError') return;
    this.tried += 1;
    if (status !== 'Survived' && status !== 'NoCoverage') return;
    this.survived += 1;
    const at = `${fileName.slice(fileName.indexOf('src/lib/core'))}:${location.start.line}`;
    console.log(`not caught (${this.survived} of ${this.tried} so far): ${at} ${mutatorName} -> ${replacement}`);
  }
}

export const strykerPlugins = [declareClassPlugin(PluginKind.Reporter, 'lines', LineReporter)];

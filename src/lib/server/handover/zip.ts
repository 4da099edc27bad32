import { strToU8, zipSync } from 'fflate';
import type { BundleFile } from '../services/handover';

/** The same moment for every file: the bundle of a state has the same bytes whenever it is taken. An archive's dates have no zone. */
const mtime = new Date(1980, 0, 1);

/** A bundle as one archive, in a folder of its name. */
export const zipOf = ({ name, files }: { readonly name: string; readonly files: readonly BundleFile[] }): Uint8Array =>
  zipSync(Object.fromEntries(files.map((one) => [`${name}/${one.name}`, strToU8(one.text)])), { mtime, level: 6 });

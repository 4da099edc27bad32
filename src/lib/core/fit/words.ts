/** Bytes in words of a table: GiB, or MiB below one. */
export const gibText = (bytes: number): string =>
  bytes >= 2 ** 30 ? `${Math.round(bytes / 2 ** 30).toLocaleString('en')} GiB` : `${Math.round(bytes / 2 ** 20).toLocaleString('en')} MiB`;

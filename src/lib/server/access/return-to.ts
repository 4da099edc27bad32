/** Where to go after sign-in: a page of ours, never another site's. */
export function returnTo(asked: string | null): string {
  if (!asked || !asked.startsWith('/') || asked.startsWith('//') || asked.includes('\\') || asked.length > 2_000) return '/';
  const url = new URL(asked, 'http://barn.invalid');
  return url.host === 'barn.invalid' && !url.pathname.startsWith('/sign-in') ? url.pathname + url.search : '/';
}

// Sets the theme before the first paint.
try {
  const theme = localStorage.getItem('root-barn.theme') ?? (matchMedia('(prefers-color-scheme: dark)').matches ? 'night' : 'paper');
  document.documentElement.dataset.theme = theme === 'night' ? 'night' : 'paper';
} catch {
  document.documentElement.dataset.theme = 'paper';
}

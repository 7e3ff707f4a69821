/** Has the browser keep the page itself, for a reload while the server is away. Not on plain HTTP from another machine. */
export async function keepPage(): Promise<void> {
  if (!('serviceWorker' in navigator) || !import.meta.env.PROD) return;
  await navigator.serviceWorker.register('/shell.js');
  const { active } = await navigator.serviceWorker.ready;
  active?.postMessage('keep all');
}

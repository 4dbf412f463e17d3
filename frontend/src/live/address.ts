/** Where the links to the server begin: beside the page. */

export function liveAddress(path: string): string {
  const scheme = location.protocol === "https:" ? "wss" : "ws";
  return `${scheme}://${location.host}${path}`;
}

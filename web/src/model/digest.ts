// What a piece's bytes are, as the header `Content-Digest` says it (RFC 9530).
export async function digestOf(piece: Blob): Promise<string> {
  const sum = new Uint8Array(await crypto.subtle.digest('SHA-256', await piece.arrayBuffer()))
  return `sha-256=:${btoa(String.fromCharCode(...sum))}:`
}

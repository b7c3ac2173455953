/** A key that nobody else has. */
export const newKey = () => Array.from(crypto.getRandomValues(new Uint32Array(4)), (n) => n.toString(36)).join("-");

/** How many of something there are, in words. */
export const many = (n: number, one: string, more = `${one}s`) => (n === 1 ? `1 ${one}` : `${n} ${more}`);

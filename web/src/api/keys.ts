// The names under which what came from the server is remembered.
export const keysOf = {
  productions: ["productions"] as const,
  production: (id: string) => ["production", id] as const,
  standing: (production: string) => ["work", production, "standing"] as const, // of the production's work, so that it follows
  takes: (production: string) => ["takes", production] as const,
  work: (production: string) => ["work", production] as const,
  reels: (production: string) => ["reels", production] as const,
  reel: (id: string) => ["reel", id] as const,
  prints: (reel: string) => ["prints", reel] as const,
  print: (reel: string, id: string) => ["prints", reel, id] as const, // of the reel's prints, so that it follows
  queue: (production: string) => ["work", production, "queue"] as const, // of the production's work, so that it follows
  receipts: (production: string) => ["work", production, "receipts"] as const, // of the production's work, so that it follows
  receipt: (id: string) => ["receipt", id] as const,
  specs: ["specs"] as const,
  patterns: ["patterns"] as const,
  chains: (production: string) => ["chains", production] as const, // that it keeps
  stems: (production: string) => ["stems", production] as const,
  matches: (production: string) => ["matches", production] as const,
};

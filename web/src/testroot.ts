/** Where the project is, as seen from where the tests run: another folder when the mutation tester runs them. */
export const root = process.env.LOOM_ROOT ?? "..";

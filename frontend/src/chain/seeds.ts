/** A seed of chance: short enough to type, and of so many that two of a look are rarely the same. */
export const someSeed = () => Math.floor(Math.random() * 100_000);

/** How many texts there are, in words. */
export const textsSaid = (count: number) => (count === 1 ? "1 text" : `${count} texts`);

/** Lets the page draw and answer before it goes on. */
export const nextTask = (): Promise<void> => new Promise((resolve) => setTimeout(resolve));

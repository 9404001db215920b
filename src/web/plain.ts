/** Without what a store wraps around it: workers take plain data only. */
export const plain = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T;

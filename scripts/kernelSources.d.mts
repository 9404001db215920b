export const kernelSource: string;
export const kernelFlags: string[];
export function kernelHash(source?: string): string;

export declare const chromiumPath: string;
export declare const chromiumArgs: string[];

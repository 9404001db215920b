declare module "three/examples/jsm/loaders/usd/USDAParser.js" {
  export class USDAParser {
    /** The text's prims and properties by their own words. */
    parseText(text: string): Record<string, unknown>;
  }
}

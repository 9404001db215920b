import { createRequire } from "node:module";

/** OpenCV's npm build: the outside reference for projection, distortion and pose. */
export interface Cv {
  onRuntimeInitialized: () => void;
  Mat: { new (): CvMat };
  matFromArray(rows: number, columns: number, type: number, data: number[]): CvMat;
  CV_64F: number;
  CV_64FC1: number;
  SOLVEPNP_ITERATIVE: number;
  projectPoints(o: CvMat, r: CvMat, t: CvMat, k: CvMat, d: CvMat, out: CvMat, jacobian: CvMat): void;
  Rodrigues(src: CvMat, out: CvMat): void;
  solvePnP(o: CvMat, i: CvMat, k: CvMat, d: CvMat, r: CvMat, t: CvMat, guess: boolean, flags: number): boolean;
}
export interface CvMat {
  data64F: Float64Array;
  delete(): void;
}

/** Loads the library; takes a second or two. */
export async function openCv(): Promise<Cv> {
  const require = createRequire(import.meta.url);
  try {
    // The module is a thenable that resolves to itself: awaiting it would never end, and so would returning it.
    const cv = require("@techstark/opencv-js") as Cv;
    if (!cv.Mat) await new Promise<void>((resolve) => (cv.onRuntimeInitialized = () => resolve()));
    return plain(cv);
  } catch (error) {
    // An uncaught error would print the library's whole source line.
    // eslint-disable-next-line preserve-caught-error
    throw new Error(String((error as Error).message).slice(0, 300));
  }
}

/** What is used of the library, without its `then`. */
const plain = (cv: Cv): Cv => ({
  onRuntimeInitialized: cv.onRuntimeInitialized,
  Mat: cv.Mat,
  matFromArray: cv.matFromArray.bind(cv),
  CV_64F: cv.CV_64F,
  CV_64FC1: cv.CV_64FC1,
  SOLVEPNP_ITERATIVE: cv.SOLVEPNP_ITERATIVE,
  projectPoints: cv.projectPoints.bind(cv),
  Rodrigues: cv.Rodrigues.bind(cv),
  solvePnP: cv.solvePnP.bind(cv),
});

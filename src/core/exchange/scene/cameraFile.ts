import { toDegrees } from "../../math/vec3.ts";
import type { Camera, Frame } from "../../optics/camera.ts";
import { equivalents35mm, fieldsOfView, orientationDegrees } from "../../optics/camera.ts";

/** A camera in figures that any program can be given by hand, with the conventions that they are in. */
export function cameraJson(name: string, camera: Camera, frame: Frame, frames: number[] = [0]): string {
  const fov = fieldsOfView(camera, frame);
  const film = equivalents35mm(camera.focalPx, frame);
  return `${JSON.stringify(
    {
      shot: name,
      conventions: {
        world: "right-handed, Z up, metres",
        camera: "x right, y down, z forward; rotation is world to camera, row by row; position is the camera's centre",
        pixels: "from the plate's top left corner, x right, y down; the first pixel's centre is 0.5, 0.5",
        distortion:
          "Brown-Conrady k1 k2 k3 p1 p2, from undistorted to distorted, coordinates divided by the focal length",
      },
      plate: frame,
      focalPx: camera.focalPx,
      principal: camera.principal,
      distortion: camera.distortion,
      rotation: camera.rotation,
      position: camera.position,
      angles: orientationDegrees(camera.rotation),
      fieldOfViewDeg: { horizontal: toDegrees(fov.horizontal), vertical: toDegrees(fov.vertical) },
      focalMm35: film,
      frames,
    },
    null,
    1,
  )}\n`;
}

/** One line a frame; a still camera has the same in each. */
export function cameraCsv(camera: Camera, frame: Frame, frames: number[] = [0]): string {
  const angles = orientationDegrees(camera.rotation);
  const head =
    "frame,x_m,y_m,z_m,heading_deg,tilt_deg,roll_deg,focal_px,principal_x_px,principal_y_px,width_px,height_px,k1,k2,k3,p1,p2";
  const { k1, k2, k3, p1, p2 } = camera.distortion;
  const values = [
    ...camera.position,
    angles.heading,
    angles.tilt,
    angles.roll,
    camera.focalPx,
    ...camera.principal,
    frame.width,
    frame.height,
    k1,
    k2,
    k3,
    p1,
    p2,
  ];
  return `${[head, ...frames.map((f) => [f, ...values].join(","))].join("\n")}\n`;
}

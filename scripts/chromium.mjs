/** How Debian's Chromium is started: headless, as root, without looking for anything on the network. */
export const chromiumPath = "/usr/bin/chromium";
export const chromiumArgs = [
  "--headless",
  "--no-sandbox",
  "--disable-quic",
  "--no-first-run",
  "--disable-background-networking",
  "--disable-component-update",
  "--disable-sync",
  "--use-gl=angle",
  "--use-angle=gl-egl",
  "--ignore-gpu-blocklist",
  // Without a graphics card what is flat is drawn quicker by the processor than by its imitation of one.
  "--disable-gpu-rasterization",
  "--disable-accelerated-2d-canvas",
];

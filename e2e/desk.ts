import type { Page } from "@playwright/test";
import { expect } from "@playwright/test";

export type Pixel = [number, number];

/** Drives the plate desk as a hand would: pixels of the plate, the wheel to come close, clicks and drags. */
export class Desk {
  constructor(readonly page: Page) {}

  private async frame(): Promise<{ x: number; y: number; scale: number }> {
    const canvas = this.page.locator(".desk canvas.layer").first();
    const drawn = () => canvas.evaluate((c: HTMLCanvasElement) => c.width);
    // Until the plate is drawn, a canvas has the width that HTML gives it.
    await expect.poll(drawn).not.toBe(300);
    const width = await drawn();
    const box = (await canvas.boundingBox())!;
    return { x: box.x, y: box.y, scale: box.width / width };
  }

  async screen([u, v]: Pixel): Promise<Pixel> {
    const f = await this.frame();
    return [f.x + u * f.scale, f.y + v * f.scale];
  }

  /** Shows the whole plate. */
  async fit(): Promise<void> {
    await this.page.keyboard.press("f");
  }

  /** Zooms in on a pixel, about the pointer, until one plate pixel is at least `zoom` screen pixels. */
  async approach(pixel: Pixel, zoom = 4): Promise<void> {
    await this.fit();
    const [x, y] = await this.screen(pixel);
    await this.page.mouse.move(x, y);
    for (let i = 0; i < 30; i++) {
      const { scale } = await this.frame();
      if (scale >= zoom) break;
      // One turn that is long enough; how far a turn goes is PlateDesk's.
      await this.page.mouse.wheel(0, -Math.max(60, Math.log((zoom * 1.02) / scale) / 0.0016));
    }
  }

  async click(pixel: Pixel, zoom = 4): Promise<void> {
    if (zoom > 0) await this.approach(pixel, zoom);
    const [x, y] = await this.screen(pixel);
    await this.page.mouse.move(x, y);
    await this.page.mouse.down();
    await this.page.mouse.up();
  }

  /** Red over green in the middle of the loupe while the pointer is on a pixel. */
  async loupeAt(pixel: Pixel): Promise<number> {
    await this.page.mouse.move(...(await this.screen(pixel)));
    return this.page.getByTestId("loupe").evaluate((c: HTMLCanvasElement) => {
      const [r, g] = c.getContext("2d")!.getImageData(c.width / 2, c.height / 2, 1, 1).data;
      return r / g;
    });
  }

  async drag(from: Pixel, to: Pixel): Promise<void> {
    const [a, b] = [await this.screen(from), await this.screen(to)];
    await this.page.mouse.move(...a);
    await this.page.mouse.down();
    await this.page.mouse.move((a[0] + b[0]) / 2, (a[1] + b[1]) / 2, { steps: 4 });
    await this.page.mouse.move(...b, { steps: 4 });
    await this.page.mouse.up();
  }

  async step(name: string): Promise<void> {
    await this.page.getByTestId(`step-${name}`).click();
  }

  async tool(name: string): Promise<void> {
    const button = this.page.getByTestId(`tool-${name}`);
    if ((await button.getAttribute("aria-pressed")) !== "true") await button.click();
  }

  /** Types into a field of the sill and leaves it. */
  async type(label: string, text: string): Promise<void> {
    const field = this.page.getByLabel(label, { exact: true });
    await field.fill(text);
    await field.press("Enter");
  }

  /** Takes an entry of a drop-down list of the sill. */
  async choose(list: string, entry: string | RegExp): Promise<void> {
    await this.page.getByTestId(list).click();
    await this.page.getByRole("option", { name: entry }).click();
  }

  async saved(): Promise<void> {
    await expect(this.page.getByTestId("saving")).toHaveClass(/saved/);
  }

  shotId(): string {
    return /shots\/([0-9a-f-]+)/.exec(this.page.url())![1];
  }
}

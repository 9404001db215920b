import type { Page } from "@playwright/test";
import { expect, test } from "@playwright/test";
import { Desk } from "./desk.ts";

test.use({ testIdAttribute: "data-test" });

/** Controls of the sill that are cut off by their card, lie outside the window, or lie over one another. */
async function clipped(page: Page): Promise<string[]> {
  return page.evaluate(() => {
    const found: string[] = [];
    const kinds = "button, input, [role=combobox], .p-multiselect";
    const controls = [...document.querySelector(".sill")!.querySelectorAll<HTMLElement>(kinds)];
    // A list of several has an input for readers of the screen that nobody sees.
    const shown = controls.filter(
      (c) => c.offsetParent !== null && c.getBoundingClientRect().width > 0 && !c.closest(".p-hidden-accessible"),
    );
    const called = (c: HTMLElement) =>
      c.dataset.test ?? c.getAttribute("aria-label") ?? c.textContent?.trim() ?? c.tagName;
    /** The nearest box around it that scrolls shows the rest by a bar; one that only cuts does not. */
    for (const c of shown) {
      const r = c.getBoundingClientRect();
      for (let box = c.parentElement; box && box.tagName !== "MAIN"; box = box.parentElement) {
        const style = getComputedStyle(box);
        const b = box.getBoundingClientRect();
        const [sideways, down] = [
          r.right > b.right + 1 || r.left < b.left - 1,
          r.bottom > b.bottom + 1 || r.top < b.top - 1,
        ];
        if (sideways && /hidden|clip|auto|scroll/.test(style.overflowX)) found.push(`${called(c)} is cut at the side`);
        if (down && /hidden|clip/.test(style.overflowY)) found.push(`${called(c)} is cut below`);
        if (/auto|scroll/.test(style.overflowY)) break;
      }
      if (r.right > innerWidth + 1) found.push(`${called(c)} is outside the window`);
    }
    for (let i = 0; i < shown.length; i++) {
      for (let j = i + 1; j < shown.length; j++) {
        if (shown[i].contains(shown[j]) || shown[j].contains(shown[i])) continue;
        const [a, b] = [shown[i].getBoundingClientRect(), shown[j].getBoundingClientRect()];
        const across = Math.min(a.right, b.right) - Math.max(a.left, b.left);
        const down = Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top);
        if (across > 2 && down > 2 && !shown[i].closest(".p-select")?.contains(shown[j]))
          found.push(`${called(shown[i])} lies over ${called(shown[j])}`);
      }
    }
    return found;
  });
}

for (const [width, height] of [
  [1280, 800],
  [1920, 1080],
]) {
  test(`no control of any drawer is cut or covered at ${width} × ${height}`, async ({ page, request }) => {
    await page.setViewportSize({ width, height });
    const list = (await (await request.get("/api/shots")).json()) as { id: string; name: string }[];
    const id = list.find((s) => s.name.startsWith("Net loft"))!.id;
    const desk = new Desk(page);
    const faults: string[] = [];
    await page.goto(`/shots/${id}/plate`);
    await expect(page.getByTestId("step-plate")).toBeVisible();
    for (const step of ["plate", "camera", "set", "props", "light", "render", "comp", "handover"]) {
      await desk.step(step);
      await page.waitForTimeout(350);
      const drawers = page.locator(".drawers button");
      const count = await drawers.count();
      for (let i = 0; i < Math.max(1, count); i++) {
        if (count > 0) await drawers.nth(i).click();
        await page.waitForTimeout(150);
        const where = count > 0 ? `${step}, ${await drawers.nth(i).innerText()}` : step;
        faults.push(...(await clipped(page)).map((fault) => `${where}: ${fault}`));
        const first = page.locator(".sill .list > div").first();
        if (["set", "props"].includes(step) && (await first.count()) > 0) {
          await first.click();
          faults.push(...(await clipped(page)).map((fault) => `${where}, chosen: ${fault}`));
        }
      }
    }
    expect(faults).toEqual([]);
  });
}

test("the sill's edge is dragged and remembered, double-clicked to fit, and the palette finds a tool by a word", async ({
  page,
  request,
}) => {
  const [shot] = (await (await request.get("/api/shots")).json()) as { id: string }[];
  await page.goto(`/shots/${shot.id}/set`);
  const sill = page.locator(".sill");
  const height = async () => (await sill.boundingBox())!.height;
  const before = await height();
  const edge = (await page.getByTestId("sill-edge").boundingBox())!;
  await page.mouse.move(edge.x + 300, edge.y + 4);
  await page.mouse.down();
  await page.mouse.move(edge.x + 300, edge.y - 56, { steps: 3 });
  await page.mouse.up();
  expect(await height()).toBeCloseTo(before + 60, -1);
  await page.reload();
  await expect.poll(height).toBeCloseTo(before + 60, -1);
  // The plate keeps half of the window.
  await page.mouse.move(edge.x + 300, edge.y - 56);
  await page.mouse.down();
  await page.mouse.move(edge.x + 300, 20, { steps: 3 });
  await page.mouse.up();
  expect(await height()).toBeLessThanOrEqual(400);
  await page.getByTestId("sill-edge").dblclick({ position: { x: 300, y: 4 } });
  await page.keyboard.press("Control+k");
  // The field keeps the focus once the dialog has slid in.
  await expect(page.locator(".p-dialog-enter-active")).toHaveCount(0);
  await expect(page.getByTestId("palette").locator("input")).toBeFocused();
  await page.keyboard.type("stairs");
  await page.keyboard.press("Enter");
  await expect(page.getByTestId("tool-part-stairs")).toHaveAttribute("aria-pressed", "true");
  await expect(page.getByText("Stairs: click the foot of the first step at its left end")).toBeVisible();
});

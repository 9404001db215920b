/** Words for an edge's direction, as they are shown. */
export function edgeWord(axis: string): string {
  if (axis === "any") return "edge";
  if (axis === "z") return "upright edge";
  if (axis.length === 1) return `edge along ${axis.toUpperCase()}`;
  const [kind, name] = axis.split(":");
  if (kind === "level" && name.endsWith("+90")) return `level edge square to “${name.slice(0, -3)}”`;
  return kind === "level" ? `level edge “${name}”` : /^curve-/.test(name) ? "curved edge" : `parallel edge “${name}”`;
}

/** One or two letters for a list. */
export function edgeLetter(axis: string): string {
  if (axis === "any") return "?";
  if (axis.length === 1) return axis.toUpperCase();
  const [kind, name] = axis.split(":");
  return kind === "level" ? `≈${name.replace("+90", "⊥")}` : /^curve-/.test(name) ? "∿" : `∥${name}`;
}

/** The style class of an edge's direction. */
export const edgeTone = (axis: string): string => (axis.length === 1 ? `axis-${axis}` : "axis-own");

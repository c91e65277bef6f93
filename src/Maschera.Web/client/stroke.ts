export const ink = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

/** The strokes of a cycle from a cylinder's firing TDC on. */
const strokes = ["power", "exhaust", "intake", "compression"];

/** Height of a cylinder's row of strokes, px. */
export const HIGH = 17;

/** A stroke of a row, told by word or letter and by pattern; a turn alone where it is null. */
export function drawStroke(ctx: CanvasRenderingContext2D, stroke: number | null, a: number, b: number, top: number, perStroke: number) {
  ctx.fillStyle = ink("--deep");
  if (stroke === 0) ctx.fillStyle = ink("--grid");
  ctx.fillRect(a, top + 1, b - a, HIGH - 2);
  if (stroke === 3) hatch(ctx, a, top + 1, b - a, HIGH - 2, "--ink", 6);
  ctx.fillStyle = ink("--ink");
  ctx.fillRect(a, top + 1, 1, HIGH - 2);
  if (stroke === null || perStroke < 16 || b - a < 12) return;
  ctx.textAlign = "center";
  ctx.font = b - a > 84 ? "11.5px Archivo" : '600 11px "Spline Sans Mono"';
  const word = b - a > 84 ? strokes[stroke] : strokes[stroke][0].toUpperCase();
  if (stroke === 3) {
    // The hatch stays clear of the word.
    const half = ctx.measureText(word).width / 2 + 3;
    ctx.fillStyle = ink("--deep");
    ctx.fillRect((a + b) / 2 - half, top + 1, 2 * half, HIGH - 2);
  }
  ctx.fillStyle = ink("--ink");
  ctx.fillText(word, (a + b) / 2, top + HIGH / 2 + 0.5);
}

/** Slanting lines over a rectangle. */
export function hatch(
  ctx: CanvasRenderingContext2D,
  x: number,
  y: number,
  w: number,
  h: number,
  colour = "--fault",
  pitch = 9 * devicePixelRatio,
) {
  ctx.save();
  ctx.beginPath();
  ctx.rect(x, y, w, h);
  ctx.clip();
  ctx.strokeStyle = ink(colour);
  ctx.globalAlpha = 0.25;
  ctx.lineWidth = devicePixelRatio;
  ctx.beginPath();
  for (let at = x - h; at < x + w; at += pitch) {
    ctx.moveTo(at, y + h);
    ctx.lineTo(at + h, y);
  }
  ctx.stroke();
  ctx.restore();
}

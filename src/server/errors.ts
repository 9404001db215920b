import type { ErrorRequestHandler } from "express";
import * as v from "valibot";

/** An error with a code for programs, a sentence for people, and what to do. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly hint: string,
    readonly more: Record<string, unknown> = {},
  ) {
    super(message);
  }
}

export const notFound = (what: string): ApiError =>
  new ApiError(
    404,
    "not-found",
    `${what} does not exist.`,
    "It may have been deleted; go back to the shots and look again.",
  );

/** Checks a request's part against its schema; throws ApiError with the field's name. */
export function check<T extends v.GenericSchema>(schema: T, input: unknown): v.InferOutput<T> {
  const result = v.safeParse(schema, input);
  if (result.success) return result.output;
  const issue = result.issues[0];
  const field = (issue.path ?? []).map((p) => String(p.key)).join(".");
  throw new ApiError(
    400,
    "bad-request",
    `${field || "The request"}: ${issue.message}.`,
    "Reload the page; if it stays, the client and the server are of different versions.",
  );
}

/** Turns anything thrown into {code, message, hint}. */
export const errorHandler: ErrorRequestHandler = (error, _request, response, _next) => {
  if (error instanceof ApiError) {
    response.status(error.status).json({ code: error.code, message: error.message, hint: error.hint, ...error.more });
    return;
  }
  const status = (error as { status?: number }).status ?? 500;
  if (status === 413) {
    response.status(413).json({
      code: "too-large",
      message: "The file is larger than this server takes.",
      hint: "Plates may have 256 MB, models 512 MB, and one save of a shot 12 MB.",
    });
    return;
  }
  if (status >= 400 && status < 500) {
    response
      .status(status)
      .json({ code: "bad-request", message: "The request cannot be read.", hint: "Reload the page and try again." });
    return;
  }
  const noSpace = isNoSpace(error);
  console.error(error);
  response.status(noSpace ? 507 : 500).json({
    code: noSpace ? "disk-full" : "internal",
    // What went wrong is in the server's log: it may name folders and queries, which are nobody else's.
    message: noSpace ? "The disk is full; nothing was saved." : "Something went wrong on the server.",
    hint: noSpace
      ? "Free some space; your work stays in this browser and is saved by itself once there is room."
      : "Try again; your work so far is kept. The server's own output says more.",
  });
};

/** True if an error, or what caused it, is that the disk is full. */
function isNoSpace(error: unknown): boolean {
  for (let e = error as { code?: unknown; message?: string; cause?: unknown } | undefined; e; e = e.cause as typeof e) {
    // 53100: disk_full of PostgreSQL.
    if (e.code === "ENOSPC" || e.code === "53100" || /No space left/.test(e.message ?? "")) return true;
  }
  return false;
}

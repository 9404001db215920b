import type { RequestHandler } from "express";
import { ApiError } from "./errors.ts";

/**
 * Who may ask. The server has no log-in: it trusts the person at this machine, so it must not listen to pages of other
 * origins that the same browser shows, nor to a foreign name that resolves to this machine (DNS rebinding).
 */

/** Host names that mean this machine. */
const LOOPBACK = /^(localhost|127(\.\d{1,3}){3}|\[::1\])$/i;

const hostNameOf = (host: string): string => host.replace(/:\d{1,5}$/, "");

/** Types of a body that no page of another origin can send without asking first (Fetch standard, CORS-safelisted types). */
const ASKED_FIRST = /^application\/(json|octet-stream)\s*(;|$)/i;

const SAFE = new Set(["GET", "HEAD", "OPTIONS"]);

const refuse = (message: string, hint: string): ApiError => new ApiError(403, "not-allowed", message, hint);

/**
 * Refuses requests under names other than loopback ones and `names`, from pages of other origins, and changes whose form
 * a page of another origin could send without asking.
 */
export function guard(names: readonly string[] = []): RequestHandler {
  const known = new Set(names.map((name) => name.toLowerCase()));
  const isOurs = (host: string) => LOOPBACK.test(hostNameOf(host)) || known.has(hostNameOf(host).toLowerCase());
  return (request, _response, next) => {
    const host = request.header("host") ?? "";
    if (!isOurs(host)) {
      throw refuse(
        "This server does not answer under that name.",
        "Open it as http://127.0.0.1, or name the host in HARBOR_HOSTS.",
      );
    }
    const site = request.header("sec-fetch-site");
    const origin = request.header("origin");
    const elsewhere =
      (site !== undefined && site !== "same-origin" && site !== "none") ||
      (origin !== undefined && origin !== `http://${host}` && origin !== `https://${host}`);
    // A link from elsewhere may open a page of the application; it may not read or change anything.
    const opensPage = request.method === "GET" && request.header("sec-fetch-mode") === "navigate";
    if (elsewhere && (!opensPage || request.path.startsWith("/api"))) {
      throw refuse("Pages of other addresses may not use this server.", "Open Red Harbor itself and do it there.");
    }
    if (!SAFE.has(request.method)) {
      const type = request.header("content-type") ?? "";
      if (!ASKED_FIRST.test(type) && request.header("x-harbor") === undefined) {
        throw refuse(
          "A change must be sent as JSON, as bytes (application/octet-stream), or with the header X-Harbor.",
          "Reload the page; from a program, set the header.",
        );
      }
    }
    next();
  };
}

import { api, read } from "../api/client";

/** What this browser keeps between the two steps, so that only it can do the second. */
const stepKey = "harvik.provider";

/** Sends this browser to the identity provider. */
export async function goToProvider() {
  const { ceremony, address } = await read(api.POST("/session/provider/begin"));
  sessionStorage.setItem(stepKey, ceremony);
  location.assign(address);
}

/** Signs in by what the identity provider sent back. */
export function signInByProvider(sent: URLSearchParams) {
  const ceremony = sessionStorage.getItem(stepKey) ?? "";
  sessionStorage.removeItem(stepKey);
  return read(
    api.POST("/session/provider", {
      body: {
        ceremony,
        state: sent.get("state") ?? "",
        code: sent.get("code") ?? "",
        issuer: sent.get("iss") ?? "",
        refusal: sent.get("error") ?? "",
      },
    }),
  );
}

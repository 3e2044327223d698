import { api, read } from "../api/client";

interface Ceremony {
  ceremony: string;
  options?: unknown;
}

/** Whether this browser, at this address, knows passkeys. */
export const knowsPasskeys = () =>
  "PublicKeyCredential" in window && "parseCreationOptionsFromJSON" in PublicKeyCredential;

const publicKey = <T>(c: Ceremony) => (c.options as { publicKey: T }).publicKey;

/** Has the browser make a passkey of whoever is signed in. */
export async function makePasskey(name: string) {
  const begun = await read(api.POST("/me/passkeys/begin"));
  const made = await navigator.credentials.create({
    publicKey: PublicKeyCredential.parseCreationOptionsFromJSON(publicKey(begun)),
  });
  if (!made) throw new Error("the browser made no passkey");
  return read(
    api.POST("/me/passkeys", {
      body: { ceremony: begun.ceremony, name, credential: (made as PublicKeyCredential).toJSON() },
    }),
  );
}

/** Signs in by a passkey, and gives the key of the session. */
export async function signInByPasskey() {
  const begun = await read(api.POST("/session/passkey/begin"));
  const said = await navigator.credentials.get({
    publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(publicKey(begun)),
  });
  if (!said) throw new Error("the browser gave no passkey");
  return read(
    api.POST("/session/passkey", {
      body: { ceremony: begun.ceremony, credential: (said as PublicKeyCredential).toJSON() },
    }),
  );
}

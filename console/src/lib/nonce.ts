/** The nonce of this page, without which browsers take no style that a script writes. */
export const nonce = () => document.querySelector<HTMLMetaElement>("meta[property=csp-nonce]")?.nonce ?? "";

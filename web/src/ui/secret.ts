/** What stands in the place of a secret: enough to tell one from another, and nothing of the secret itself. */
export const shown = (value = "") => (value.startsWith("secret:") ? `secret ${value.slice(7, 11)}…` : value);

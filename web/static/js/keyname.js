/* The name by which data-key asks for a key: Alt+ArrowUp, Shift+K, a. */
export const keyName = ({ key, altKey }) => (altKey ? "Alt+" : /^[A-Z]$/.test(key) ? "Shift+" : "") + key;

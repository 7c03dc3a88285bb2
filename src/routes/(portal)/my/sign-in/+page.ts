// A plain form: nothing of it waits for scripts, and none that comes late writes over what was typed.
export const csr = false;

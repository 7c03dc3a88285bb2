/** Somebody is there: the sign-in goes on. Pages say so when somebody does something on them, at most once a minute. */
export const POST = () => new Response(null, { status: 204 });

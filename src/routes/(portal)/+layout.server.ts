export const load = ({ locals }) => ({ language: locals.language, theme: locals.theme });

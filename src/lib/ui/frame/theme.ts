/** Changes between the day and the night theme; the choice is kept in a cookie, so that the next page comes in it. */
export function switchTheme(): void {
	const next = document.documentElement.dataset.theme === 'night' ? 'day' : 'night';
	document.documentElement.dataset.theme = next;
	document.cookie = `theme=${next};path=/;max-age=31536000;samesite=lax`;
}

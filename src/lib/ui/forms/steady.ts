/** Further than this from where it was pressed, in pixels, somebody has thought better of it. */
const AWAY = 24;

/**
 * A button that is pressed stays pressed though it moves away under the pointer: leaving a field may take a line out of the form above it, or put
 * one in, between the press and the release. For `onpointerdown`.
 */
export function steady(e: PointerEvent): void {
	const button = e.currentTarget as HTMLElement;
	const { pointerId, clientX, clientY } = e;
	if (e.button !== 0) return;
	button.setPointerCapture(pointerId);
	const moved = (m: PointerEvent) => {
		if (Math.hypot(m.clientX - clientX, m.clientY - clientY) > AWAY && button.hasPointerCapture(pointerId))
			button.releasePointerCapture(pointerId);
	};
	button.addEventListener('pointermove', moved);
	button.addEventListener('lostpointercapture', () => button.removeEventListener('pointermove', moved), { once: true });
}

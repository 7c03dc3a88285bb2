import { opened } from '$lib/ui/frame/parcel';

export const load = ({ data }) => ({ ...data, ribbon: opened(data.ribbon), names: opened(data.names) });

// Moments come with the practice's offset and are shown as they came.
const months = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];

/** day says "23 Nov 2026" of a date or moment, as precisely as it came. */
export function day(s: string) {
  const [y, m, d] = s.slice(0, 10).split("-");
  if (!m) return y ?? "";
  return `${d ? `${d} ` : ""}${months[Number(m) - 1]} ${y}`;
}

/** shortDay leaves the year out when it is that of today: a day of another year must not pass for a recent one. */
export const shortDay = (s: string, today: string) =>
  s.length >= 10 && s.slice(0, 4) === today.slice(0, 4) ? day(s).replace(/ \d{4}$/, "") : day(s);

/** clock says "10:20" of a moment, "10 h" of one that came to the hour, "" of a date alone. */
export const clock = (s: string) => (s.length <= 10 ? "" : s[13] === ":" ? s.slice(11, 16) : `${s.slice(11, 13)} h`);

/** clockSeconds says "10:41:07". */
export const clockSeconds = (s: string) => s.slice(11, 19);

/** age says how long ago a moment was: "22 min", "3 h", "9 d". */
export function age(s: string, now = Date.now()) {
  const min = Math.max(0, Math.floor((now - Date.parse(s)) / 60000));
  if (min < 60) return `${min} min`;
  if (min < 48 * 60) return `${Math.floor(min / 60)} h`;
  return `${Math.floor(min / 1440)} d`;
}

/** inDays is the day some days from a day (YYYY-MM-DD), as the practice counts them. */
export function inDays(today: string, n: number) {
  const d = new Date(`${today.slice(0, 10)}T12:00:00Z`);
  d.setUTCDate(d.getUTCDate() + n);
  return d.toISOString().slice(0, 10);
}

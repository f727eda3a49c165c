// Dates and times as the pages write them (`when` in web/figures.py): in the workspace's style, whatever language the
// browser is set to.

const MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];
const two = (number) => String(number).padStart(2, "0");

/** @type {Record<string, (year: number, month: number, day: number) => string>} a workspace's styles */
const STYLES = {
  words: (year, month, day) => `${day} ${MONTHS[month - 1]} ${year}`,
  "year first": (year, month, day) => `${year}-${two(month)}-${two(day)}`,
  "day first, dots": (year, month, day) => `${two(day)}.${two(month)}.${year}`,
  "day first": (year, month, day) => `${two(day)}/${two(month)}/${year}`,
  "month first": (year, month, day) => `${two(month)}/${two(day)}/${year}`,
};

/** @param {Date} moment @returns {string} `14:05` */
export const clock = (moment) => `${two(moment.getHours())}:${two(moment.getMinutes())}`;

/**
 * The time of today, else the date: `14:05`, `27 Nov`, `27.11.2026`.
 * @param {Date} moment
 * @returns {string}
 */
export function when(moment, now = new Date(), style = globalThis.document?.documentElement.dataset.dates) {
  if (moment.toDateString() === now.toDateString()) return clock(moment);
  if ((style || "words") === "words" && moment.getFullYear() === now.getFullYear())
    return `${moment.getDate()} ${MONTHS[moment.getMonth()]}`;
  return (STYLES[style] || STYLES.words)(moment.getFullYear(), moment.getMonth() + 1, moment.getDate());
}

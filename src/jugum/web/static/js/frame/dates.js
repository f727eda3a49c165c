// Dates and times as the pages write them (`when` in web/figures.py), whatever language the browser is set to.

const MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];
const two = (number) => String(number).padStart(2, "0");

/** @param {Date} moment @returns {string} `14:05` */
export const clock = (moment) => `${two(moment.getHours())}:${two(moment.getMinutes())}`;

/**
 * The time of today, else the date: `14:05`, `27 Nov`, `2025-11-27`.
 * @param {Date} moment
 * @returns {string}
 */
export function when(moment, now = new Date()) {
  if (moment.toDateString() === now.toDateString()) return clock(moment);
  if (moment.getFullYear() === now.getFullYear()) return `${moment.getDate()} ${MONTHS[moment.getMonth()]}`;
  return `${moment.getFullYear()}-${two(moment.getMonth() + 1)}-${two(moment.getDate())}`;
}

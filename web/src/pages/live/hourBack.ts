/** What is usual at a moment, of a week whose current hour is that of the last moment; times are in ms. */
export const hourBack = <H>(week: { hours: H[]; hour: number }, last: number, at: number): H | undefined => {
  const back = Math.floor(last / 3.6e6) - Math.floor(at / 3.6e6);
  return week.hours[(((week.hour - back) % 168) + 168) % 168];
};

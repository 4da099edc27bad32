/** So many seeds each storm is run with: 200, or what `npm run storms` asks for (2,000 and more). */
export const seeds = Number(process.env.STORMS ?? 200);

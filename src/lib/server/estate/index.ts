export { holidaysAt, holidayWords, settleHolidays } from './holidays';
export { foldersOf, type NetworkRow, networksOf, sitesOf, waysOf } from './queries';
export { writeGateway, writeHost, writeNetwork, writeSite, writeVolume } from './sites';
export { manifest } from './manifest';

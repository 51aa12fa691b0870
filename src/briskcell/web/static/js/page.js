// Starts the page's few behaviours. Everything of substance is computed on the server.
import { startDrags } from "./drag.js";
import { startDrop } from "./drop.js";
import { startFields } from "./fields.js";
import { startFind } from "./find.js";
import { startKeys } from "./keys.js";
import { startLater } from "./later.js";
import { startMap } from "./map.js";
import { startPlaces } from "./place.js";
import { startPlots } from "./plots.js";
import { startRequests } from "./requests.js";
import { startWidth } from "./width.js";
import { startRows } from "./rows.js";

startRequests();
startFields();
startKeys();
startPlots();
startMap();
startLater();
startDrags();
startPlaces();
startDrop();
startRows();
startFind();
startWidth();

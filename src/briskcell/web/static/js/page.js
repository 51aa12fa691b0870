// Starts the page's few behaviours. Everything of substance is computed on the server.
import { startFields } from "./fields.js";
import { startKeys } from "./keys.js";
import { startPlots } from "./plots.js";
import { startRequests } from "./requests.js";

startRequests();
startFields();
startKeys();
startPlots();

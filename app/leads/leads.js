// The Leads room needs the frame alone.
import { Alpine } from "/assets/workbench.js";

Alpine.start();

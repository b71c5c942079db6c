/** Lines of one chart are told apart by their strokes, and not by colour alone. */
export const DASHES = ["", "7 3", "2 3", "9 3 2 3", "4 2", "1 2", "12 3", "6 2 1 2"];

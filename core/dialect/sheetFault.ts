/** A fault of a sheet, with the way to the value that is wrong. */
export interface SheetFault {
  path: (string | number)[];
  message: string;
}

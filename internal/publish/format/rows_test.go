package format

// RowsPerSheet lets tests have small sheets.
var RowsPerSheet = &rowsPerSheet

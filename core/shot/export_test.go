package shot

// Spellings are the units that can be typed, for the tests outside.
var Spellings = spellings

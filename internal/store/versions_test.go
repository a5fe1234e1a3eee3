package store

// Versions lets tests go back to what earlier programs kept.
var Versions = versions

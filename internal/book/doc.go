// Package book is the saved book and how it changes: pieces of it as documents, the changes of an edit and the book
// that they lead to, what differs between two books, and the newest version in memory with its engine. What a price is
// belongs to package pricing, how a document is read to package bookfile, where versions are kept to whoever is a
// Keeper.
package book

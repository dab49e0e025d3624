// The one file of the library that holds the precompiled headers of all tests.

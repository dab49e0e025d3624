#pragma once

#include <span>
#include <string>
#include <vector>

namespace pathmark::catalog {

/// A column of a table that leaves the program.
struct WrittenColumn {
    std::string name;
    std::string datatype; ///< "char" or "double", as VOTable has them
    std::string unit;     ///< empty where it has none
    std::string ucd;
};

/// A table with the text of its cells, for every format that tables leave in.
struct WrittenTable {
    std::string name;
    std::vector<WrittenColumn> columns;
    std::vector<std::vector<std::string>>
        rows; ///< as many cells as columns; empty: nothing is known
};

/// Source   RFC 4180.
std::string toCsv(const WrittenTable& table);

/// Source   VOTable 1.4 (IVOA recommendation 2019).
std::string toVoTable(const WrittenTable& table);

} // namespace pathmark::catalog

# What is compiled once instead of in every file, and what is not worth optimising much.
set(PATHMARK_STANDARD_HEADERS
    <algorithm> <array> <atomic> <chrono> <cmath> <cstdint> <filesystem> <fstream> <functional> <map> <memory> <mutex> <numeric>
    <optional> <random> <set> <span> <sstream> <string> <string_view> <thread> <tuple> <unordered_map> <utility> <variant> <vector>
    <fmt/format.h>)

# pathmark_precompile(TARGET header …): the standard headers and these, parsed once for all files of the target.
function(pathmark_precompile target)
    target_precompile_headers(${target} PRIVATE ${PATHMARK_STANDARD_HEADERS} ${ARGN})
    if(CMAKE_CXX_COMPILER_ID STREQUAL GNU)
        target_compile_options(${target} PRIVATE -fpch-preprocess) # what the compiler cache asks for
    endif()
endfunction()

# As another target's; both are compiled with the same flags.
function(pathmark_precompile_as target other)
    target_precompile_headers(${target} REUSE_FROM ${other})
    if(CMAKE_CXX_COMPILER_ID STREQUAL GNU)
        target_compile_options(${target} PRIVATE -fpch-preprocess)
    endif()
endfunction()

# Code that waits for the observer or runs once a test: half the time of compiling it goes into optimising what is never hot.
function(pathmark_not_hot target)
    target_compile_options(${target} PRIVATE $<$<CONFIG:Release>:-O1>)
endfunction()

# Code that only reads what was asked and hands it on.
function(pathmark_not_optimised target)
    target_compile_options(${target} PRIVATE $<$<CONFIG:Release>:-O0>)
endfunction()

# With CMAKE_UNITY_BUILD (the release preset) thirty files of a layer are compiled as one: a third of the time. Helpers of a layer therefore
# have names of their own; where that cannot be (a class that keeps what only its file knows), the file stays by itself.
function(pathmark_apart)
    set_source_files_properties(${ARGN} PROPERTIES SKIP_UNITY_BUILD_INCLUSION ON)
endfunction()

# Inner loops over pixels: written to be vectorised, and compiled for it.
function(pathmark_kernels)
    set_source_files_properties(${ARGN} PROPERTIES COMPILE_OPTIONS "-O3;-fno-trapping-math;-fno-math-errno" SKIP_PRECOMPILE_HEADERS ON)
endfunction()

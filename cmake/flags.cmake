# The one place for compiler flags: everything links pathmark_flags.
add_library(pathmark_flags INTERFACE)
target_include_directories(pathmark_flags INTERFACE ${CMAKE_SOURCE_DIR})
target_compile_options(pathmark_flags INTERFACE
    -Wall -Wextra -Wpedantic -Wconversion -Wshadow -Wnon-virtual-dtor -Woverloaded-virtual
    -Wdouble-promotion -Werror
    # Clang, which builds the sanitizer and fuzz presets: -Wconversion means what it means to GCC.
    $<$<CXX_COMPILER_ID:Clang>:-Wno-sign-conversion> $<$<CXX_COMPILER_ID:Clang>:-Wno-unknown-pragmas>
    -ffp-contract=off) # the same bits with and without fused multiply-add
# The compiler tidies its memory a hundred times in a file compiled of thirty; doing so from 1 GB on takes a seventh off the build (1.7 GB a job at most).
target_compile_options(pathmark_flags INTERFACE $<$<CXX_COMPILER_ID:GNU>:--param=ggc-min-heapsize=1048576>)
target_compile_definitions(pathmark_flags INTERFACE PATHMARK_VERSION="${PROJECT_VERSION}")
if(PATHMARK_PORTABLE)
    target_compile_definitions(pathmark_flags INTERFACE PATHMARK_NO_CLONES)
endif()
if(PATHMARK_SANITIZE)
    target_compile_options(pathmark_flags INTERFACE -fsanitize=${PATHMARK_SANITIZE} -fno-omit-frame-pointer)
    target_link_options(pathmark_flags INTERFACE -fsanitize=${PATHMARK_SANITIZE})
    # Function clones crash at start under the thread sanitizer.
    target_compile_definitions(pathmark_flags INTERFACE PATHMARK_NO_CLONES)
endif()
find_program(PATHMARK_MOLD mold)
if(PATHMARK_MOLD)
    target_link_options(pathmark_flags INTERFACE -fuse-ld=mold)
endif()
find_program(PATHMARK_CCACHE ccache)
if(PATHMARK_CCACHE)
    # Without these it never caches what is compiled with precompiled headers.
    set(CMAKE_CXX_COMPILER_LAUNCHER ${CMAKE_COMMAND} -E env CCACHE_SLOPPINESS=pch_defines,time_macros,include_file_mtime,include_file_ctime
        ${PATHMARK_CCACHE})
endif()

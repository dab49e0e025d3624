# No file below FOLDER includes what PATTERN matches.
file(GLOB_RECURSE files ${SOURCE}/${FOLDER}/*.h ${SOURCE}/${FOLDER}/*.cpp)
foreach(file IN LISTS files)
    file(STRINGS ${file} hits REGEX "#include ${PATTERN}")
    if(hits)
        message(FATAL_ERROR "${file}: ${hits}")
    endif()
endforeach()

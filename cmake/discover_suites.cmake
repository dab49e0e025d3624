# After a test program is built: one test of ctest for each of its suites, so that what a suite shares (a made night, a
# run of it) is made once. Run with -DPROGRAM, -DLAYER, -DTIMEOUT, -DWITHOUT (tests left out, a part of a filter of
# GoogleTest) and -DOUTPUT, the file that ctest includes.
execute_process(COMMAND ${PROGRAM} --gtest_list_tests OUTPUT_VARIABLE listed RESULT_VARIABLE status)
if(NOT status EQUAL 0)
    message(FATAL_ERROR "${PROGRAM} does not list its tests: ${status}")
endif()
string(REPLACE "\n" ";" lines "${listed}")
set(text "")
foreach(line IN LISTS lines)
    if(line MATCHES "^([A-Za-z0-9_/]+)\\.")
        set(suite ${CMAKE_MATCH_1})
        string(APPEND text "add_test([=[${LAYER}.${suite}]=] [=[${PROGRAM}]=] [=[--gtest_filter=${suite}.*${WITHOUT}]=])\n"
            "set_tests_properties([=[${LAYER}.${suite}]=] PROPERTIES TIMEOUT ${TIMEOUT})\n")
    endif()
endforeach()
if(text STREQUAL "")
    message(FATAL_ERROR "${PROGRAM} has no tests")
endif()
file(WRITE ${OUTPUT} "${text}")

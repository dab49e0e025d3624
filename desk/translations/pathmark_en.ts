<?xml version="1.0" encoding="utf-8"?>
<!DOCTYPE TS>
<TS version="2.1" language="en" sourcelanguage="en">
 <context>
  <name>Words</name>
  <message numerus="yes">
   <source>%1 · in %n frame(s)</source>
   <translation>
    <numerusform>%1 · in %n frame</numerusform>
    <numerusform>%1 · in %n frames</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>%1 %2, scatter %3 mag, %n measurement(s)</source>
   <translation>
    <numerusform>%1 %2, scatter %3 mag, %n measurement</numerusform>
    <numerusform>%1 %2, scatter %3 mag, %n measurements</numerusform>
   </translation>
  </message>
 </context>
 <context>
  <name>pathmark::desk::ArchiveBench</name>
  <message numerus="yes">
   <source>%n place(s)</source>
   <translation>
    <numerusform>%n place</numerusform>
    <numerusform>%n places</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>%n body(ies)</source>
   <translation>
    <numerusform>%n body</numerusform>
    <numerusform>%n bodies</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>%n frame(s)</source>
   <translation>
    <numerusform>%n frame</numerusform>
    <numerusform>%n frames</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>%n frame(s) missing or not solved</source>
   <translation>
    <numerusform>%n frame missing or not solved</numerusform>
    <numerusform>%n frames missing or not solved</numerusform>
   </translation>
  </message>
 </context>
 <context>
  <name>pathmark::desk::EvidencePanel</name>
  <message numerus="yes">
   <source>stack of %n frame(s) on the motion</source>
   <translation>
    <numerusform>stack of %n frame on the motion</numerusform>
    <numerusform>stack of %n frames on the motion</numerusform>
   </translation>
  </message>
 </context>
 <context>
  <name>pathmark::desk::FactsBench</name>
  <message numerus="yes">
   <source>%n thing(s) only you can tell. Asked once, kept for the nights to come. Run goes on without what is left open.</source>
   <translation>
    <numerusform>%n thing only you can tell. Asked once, kept for the nights to come. Run goes on without what is left open.</numerusform>
    <numerusform>%n things only you can tell. Asked once, kept for the nights to come. Run goes on without what is left open.</numerusform>
   </translation>
  </message>
 </context>
 <context>
  <name>pathmark::desk::FrameRibbon</name>
  <message numerus="yes">
   <source>FWHM %1 px, %n source(s)</source>
   <translation>
    <numerusform>FWHM %1 px, %n source</numerusform>
    <numerusform>FWHM %1 px, %n sources</numerusform>
   </translation>
  </message>
 </context>
 <context>
  <name>pathmark::desk::GatherBench</name>
  <message numerus="yes">
   <source>Leave %n frame(s) out</source>
   <translation>
    <numerusform>Leave %n frame out</numerusform>
    <numerusform>Leave %n frames out</numerusform>
   </translation>
  </message>
 </context>
 <context>
  <name>pathmark::desk::GroupStrips</name>
  <message numerus="yes">
   <source>%n frame(s)</source>
   <translation>
    <numerusform>%n frame</numerusform>
    <numerusform>%n frames</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>%n group(s)</source>
   <translation>
    <numerusform>%n group</numerusform>
    <numerusform>%n groups</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>%n odd</source>
   <translation>
    <numerusform>%n odd</numerusform>
    <numerusform>%n odd</numerusform>
   </translation>
  </message>
 </context>
 <context>
  <name>pathmark::desk::HandFitPanel</name>
  <message numerus="yes">
   <source>Keep, and offer it to %n unsolved frame(s) of the series (Shift+Enter)</source>
   <translation>
    <numerusform>Keep, and offer it to %n unsolved frame of the series (Shift+Enter)</numerusform>
    <numerusform>Keep, and offer it to %n unsolved frames of the series (Shift+Enter)</numerusform>
   </translation>
  </message>
 </context>
 <context>
  <name>pathmark::desk::HandFitSession</name>
  <message numerus="yes">
   <source>The hand fit is kept, and offered to %n other frame(s) of the series.</source>
   <translation>
    <numerusform>The hand fit is kept, and offered to %n other frame of the series.</numerusform>
    <numerusform>The hand fit is kept, and offered to %n other frames of the series.</numerusform>
   </translation>
  </message>
 </context>
 <context>
  <name>pathmark::desk::HeaderPanel</name>
  <message numerus="yes">
   <source>%1 values in %n frame(s)</source>
   <translation>
    <numerusform>%1 values in %n frame</numerusform>
    <numerusform>%1 values in %n frames</numerusform>
   </translation>
  </message>
 </context>
 <context>
  <name>pathmark::desk::LightCurveBench</name>
  <message numerus="yes">
   <source>%n frame(s)</source>
   <translation>
    <numerusform>%n frame</numerusform>
    <numerusform>%n frames</numerusform>
   </translation>
  </message>
 </context>
 <context>
  <name>pathmark::desk::LightCurveSession</name>
  <message numerus="yes">
   <source>%n frame(s) show this field. Enter measures every star of it, and the bodies.</source>
   <translation>
    <numerusform>%n frame show this field. Enter measures every star of it, and the bodies.</numerusform>
    <numerusform>%n frames show this field. Enter measures every star of it, and the bodies.</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>%n frame(s) could not be used.</source>
   <translation>
    <numerusform>%n frame could not be used.</numerusform>
    <numerusform>%n frames could not be used.</numerusform>
   </translation>
  </message>
 </context>
 <context>
  <name>pathmark::desk::MainWindow</name>
  <message numerus="yes">
   <source>%n frame(s)</source>
   <translation>
    <numerusform>%n frame</numerusform>
    <numerusform>%n frames</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>%n light(s)</source>
   <translation>
    <numerusform>%n light</numerusform>
    <numerusform>%n lights</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>%n body(ies)</source>
   <translation>
    <numerusform>%n body</numerusform>
    <numerusform>%n bodies</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>%n measurement(s)</source>
   <translation>
    <numerusform>%n measurement</numerusform>
    <numerusform>%n measurements</numerusform>
   </translation>
  </message>
 </context>
 <context>
  <name>pathmark::desk::MatchMap</name>
  <message numerus="yes">
   <source>△ %n to review</source>
   <translation>
    <numerusform>△ %n to review</numerusform>
    <numerusform>△ %n to review</numerusform>
   </translation>
  </message>
 </context>
 <context>
  <name>pathmark::desk::Neighbours</name>
  <message numerus="yes">
   <source>%1: sent to %n program(s)</source>
   <translation>
    <numerusform>%1: sent to %n program</numerusform>
    <numerusform>%1: sent to %n programs</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>%1: %n row(s); the row chosen there is ringed here</source>
   <translation>
    <numerusform>%1: %n row; the row chosen there is ringed here</numerusform>
    <numerusform>%1: %n rows; the row chosen there is ringed here</numerusform>
   </translation>
  </message>
 </context>
 <context>
  <name>pathmark::desk::NewBodyBench</name>
  <message numerus="yes">
   <source>%n line(s)</source>
   <translation>
    <numerusform>%n line</numerusform>
    <numerusform>%n lines</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>It is none of the %n known bodies in its frames.</source>
   <translation>
    <numerusform>It is none of the %n known bodies in its frames.</numerusform>
    <numerusform>It is none of the %n known bodies in its frames.</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>%n orbits agree with it: distance %1 au, q %2 au, e %3, i %4°.</source>
   <translation>
    <numerusform>%n orbits agree with it: distance %1 au, q %2 au, e %3, i %4°.</numerusform>
    <numerusform>%n orbits agree with it: distance %1 au, q %2 au, e %3, i %4°.</numerusform>
   </translation>
  </message>
 </context>
 <context>
  <name>pathmark::desk::NightSession</name>
  <message numerus="yes">
   <source>(%n problem(s) in summary.json)</source>
   <translation>
    <numerusform>(%n problem in summary.json)</numerusform>
    <numerusform>(%n problems in summary.json)</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>%n frame(s) left out: %1. Ctrl+Z undoes it; run again (Ctrl+R) without them.</source>
   <translation>
    <numerusform>%n frame left out: %1. Ctrl+Z undoes it; run again (Ctrl+R) without them.</numerusform>
    <numerusform>%n frames left out: %1. Ctrl+Z undoes it; run again (Ctrl+R) without them.</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>%1, %n frame(s) on its motion</source>
   <translation>
    <numerusform>%1, %n frame on its motion</numerusform>
    <numerusform>%1, %n frames on its motion</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>The next run (Ctrl+R) makes a stack of these %n frame(s). Ctrl+Z undoes it.</source>
   <translation>
    <numerusform>The next run (Ctrl+R) makes a stack of these %n frame. Ctrl+Z undoes it.</numerusform>
    <numerusform>The next run (Ctrl+R) makes a stack of these %n frames. Ctrl+Z undoes it.</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>Watching: %n light(s)</source>
   <translation>
    <numerusform>Watching: %n light</numerusform>
    <numerusform>Watching: %n lights</numerusform>
   </translation>
  </message>
 </context>
 <context>
  <name>pathmark::desk::ReportBench</name>
  <message numerus="yes">
   <source>%n line(s)</source>
   <translation>
    <numerusform>%n line</numerusform>
    <numerusform>%n lines</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>%n to be checked</source>
   <translation>
    <numerusform>%n to be checked</numerusform>
    <numerusform>%n to be checked</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>%n not sent yet</source>
   <translation>
    <numerusform>%n not sent yet</numerusform>
    <numerusform>%n not sent yet</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>%n line(s) are in doubt: mend them (M), leave them out (P, D), or send them all the same (W).</source>
   <translation>
    <numerusform>%n line are in doubt: mend them (M), leave them out (P, D), or send them all the same (W).</numerusform>
    <numerusform>%n lines are in doubt: mend them (M), leave them out (P, D), or send them all the same (W).</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>Send %n line(s) as %1 to %2?</source>
   <translation>
    <numerusform>Send %n line as %1 to %2?</numerusform>
    <numerusform>Send %n lines as %1 to %2?</numerusform>
   </translation>
  </message>
 </context>
 <context>
  <name>pathmark::desk::ReportModel</name>
  <message numerus="yes">
   <source>%n frame(s)</source>
   <translation>
    <numerusform>%n frame</numerusform>
    <numerusform>%n frames</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>  and %n more</source>
   <translation>
    <numerusform>  and %n more</numerusform>
    <numerusform>  and %n more</numerusform>
   </translation>
  </message>
 </context>
 <context>
  <name>pathmark::desk::StackBars</name>
  <message numerus="yes">
   <source>%1 · %n frame(s), %2 UTC</source>
   <translation>
    <numerusform>%1 · %n frame, %2 UTC</numerusform>
    <numerusform>%1 · %n frames, %2 UTC</numerusform>
   </translation>
  </message>
 </context>
 <context>
  <name>pathmark::desk::StackBench</name>
  <message numerus="yes">
   <source>%n frame(s) over %1 min</source>
   <translation>
    <numerusform>%n frame over %1 min</numerusform>
    <numerusform>%n frames over %1 min</numerusform>
   </translation>
  </message>
 </context>
 <context>
  <name>pathmark::desk::StackSession</name>
  <message numerus="yes">
   <source>Reading %n frame(s) about the body…</source>
   <translation>
    <numerusform>Reading %n frame about the body…</numerusform>
    <numerusform>Reading %n frames about the body…</numerusform>
   </translation>
  </message>
 </context>
 <context>
  <name>pathmark::desk::SweepBench</name>
  <message numerus="yes">
   <source>%L1 motions over %n frame(s): about %2, %3 of memory, %4 of disk.</source>
   <translation>
    <numerusform>%L1 motions over %n frame: about %2, %3 of memory, %4 of disk.</numerusform>
    <numerusform>%L1 motions over %n frames: about %2, %3 of memory, %4 of disk.</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>Swept %1 to %2 "/min, threshold S/N %3: %n candidate(s), %4 known.</source>
   <translation>
    <numerusform>Swept %1 to %2 "/min, threshold S/N %3: %n candidate, %4 known.</numerusform>
    <numerusform>Swept %1 to %2 "/min, threshold S/N %3: %n candidates, %4 known.</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>%n light(s) turned up so far; what chance makes is measured last.</source>
   <translation>
    <numerusform>%n light turned up so far; what chance makes is measured last.</numerusform>
    <numerusform>%n lights turned up so far; what chance makes is measured last.</numerusform>
   </translation>
  </message>
  <message numerus="yes">
   <source>%n sweep(s) asked for that no run has done yet (Ctrl+R).</source>
   <translation>
    <numerusform>%n sweep asked for that no run has done yet (Ctrl+R).</numerusform>
    <numerusform>%n sweeps asked for that no run has done yet (Ctrl+R).</numerusform>
   </translation>
  </message>
 </context>
</TS>

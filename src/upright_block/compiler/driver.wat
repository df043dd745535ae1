;; The scan loop. Python fills in the header and calls "run"; nothing on the way calls out.
;; Header (little-endian, offsets in bytes):
;;    8 now (i64, ns)        16 scan (i64)           24 fault site, 0 for none   28 instance at fault
;;   32 site of the last call of a standard function                             36 loop turns a scan
;;   40 interval (i64, ns)   48 scan to stop before (i64)                        56 wall clock at the start (i64, ns since 1970)
;;   64 next event           68 end of events        72 phase of what is left of the scan at hand, 0 for none   76 address of a condition, 0 for none
;;   80 watched spans        84 end of them          88 next log entry           92 log entry to stop at
;;   96 scan that the log counts from (i64)         104 why the loop was left: 0 at its end, 1 by the condition
;;  112 starts of scans (i64, ns), 0 where all are an interval apart             116 their number
;;  120 time after which they come again (i64, ns)
;;  128 time for which no scan ran (i64, ns)       136 whether none runs now
;;  140 address of the phase of the scan, 0 where it has only one               144 whether a rig runs before each
;; The phases are those of ``program.py``. While no scan runs, driven values go on and probes look; forces rest.
;; An event is (scan i64, address, width, value i64). The width is that of the value in bytes, 1, 2, 4 or 8; with 3 its second byte says
;; which bits of the byte at the address its first byte sets. Where forces are compiled in, see "forces.wat".
;; A watched span is (address, end, address of its copy, address of its mask), in words of 8 bytes. After each scan a word
;; that differs from its copy is copied, and written to the log, as (scans since, address, value i64), where its mask says so.
(func $fault (param $site i32) (param $self i32)
  (i32.store (i32.const 24) (local.get $site))
  (i32.store (i32.const 28) (local.get $self))
  (i32.store (i32.const 32) (global.get $caller)))
(func $poke (param $address i32) (param $width i32) (param $value i64) (local $mask i64)
  block $done block $eight block $four block $bits block $two block $one
  local.get $width
  br_table $done $one $two $bits $four $done $done $done $eight $done
  end (i64.store8 (local.get $address) (local.get $value)) br $done
  end (i64.store16 (local.get $address) (local.get $value)) br $done
  end
  (local.set $mask (i64.and (i64.shr_u (local.get $value) (i64.const 8)) (i64.const 255)))
  (i64.store8 (local.get $address) (i64.or
    (i64.and (i64.load8_u (local.get $address)) (i64.xor (local.get $mask) (i64.const -1)))
    (i64.and (local.get $value) (local.get $mask)))) br $done
  end (i64.store32 (local.get $address) (local.get $value)) br $done
  end (i64.store (local.get $address) (local.get $value))
  end)
(func $log_changes (param $scan i32) (local $span i32) (local $at i32) (local $end i32) (local $to_copy i32) (local $to_mask i32) (local $log i32) (local $value i64) (local $copy i64)
  (local.set $span (i32.load (i32.const 80)))
  (local.set $log (i32.load (i32.const 88)))
  block $done loop $next_span
  (br_if $done (i32.ge_u (local.get $span) (i32.load (i32.const 84))))
  (local.set $at (i32.load (local.get $span)))
  (local.set $end (i32.load offset=4 (local.get $span)))
  (local.set $to_copy (i32.sub (i32.load offset=8 (local.get $span)) (local.get $at)))
  (local.set $to_mask (i32.sub (i32.load offset=12 (local.get $span)) (local.get $at)))
  block $span_done loop $next_word
  (br_if $span_done (i32.ge_u (local.get $at) (local.get $end)))
  (local.set $value (i64.load (local.get $at)))
  (local.set $copy (i64.load (i32.add (local.get $at) (local.get $to_copy))))
  block $same
  (br_if $same (i64.eq (local.get $value) (local.get $copy)))
  (i64.store (i32.add (local.get $at) (local.get $to_copy)) (local.get $value))
  (br_if $same (i64.eqz (i64.and (i64.xor (local.get $value) (local.get $copy)) (i64.load (i32.add (local.get $at) (local.get $to_mask))))))
  (i32.store (local.get $log) (local.get $scan))
  (i32.store offset=4 (local.get $log) (local.get $at))
  (i64.store offset=8 (local.get $log) (local.get $value))
  (local.set $log (i32.add (local.get $log) (i32.const 16)))
  end
  (local.set $at (i32.add (local.get $at) (i32.const 8)))
  br $next_word end end
  (local.set $span (i32.add (local.get $span) (i32.const 16)))
  br $next_span end end
  (i32.store (i32.const 88) (local.get $log)))
(func $start_of (param $scan i64) (result i64) (local $many i64)
  (if (result i64) (i32.load (i32.const 112))
    (then
      (local.set $many (i64.load32_u (i32.const 116)))
      (i64.add
        (i64.mul (i64.div_u (local.get $scan) (local.get $many)) (i64.load (i32.const 120)))
        (i64.load (i32.add (i32.load (i32.const 112))
          (i32.shl (i32.wrap_i64 (i64.rem_u (local.get $scan) (local.get $many))) (i32.const 3))))))
    (else (i64.mul (local.get $scan) (i64.load (i32.const 40))))))
(func $run_phase (param $phase i32)
  (global.set $budget (i32.load (i32.const 36)))
  (i32.store (i32.load (i32.const 140)) (local.get $phase))
  call $scan
  (i32.store (i32.load (i32.const 140)) (i32.const 0)))
(func (export "run") (local $scan i64) (local $event i32) (local $now i64)
  (local.set $scan (i64.load (i32.const 16)))
  (local.set $event (i32.load (i32.const 64)))
  (i32.store (i32.const 104) (i32.const 0))
  block $done loop $next_scan
  (br_if $done (i64.ge_s (local.get $scan) (i64.load (i32.const 48))))
  (br_if $done (i32.gt_u (i32.load (i32.const 88)) (i32.load (i32.const 92))))
  (i64.store (i32.const 16) (local.get $scan))
  block $has_run
  (if (i32.load (i32.const 72)) (then
    (call $run_phase (i32.load (i32.const 72)))
    (i32.store (i32.const 72) (i32.const 0))
    br $has_run))
  block $events_done loop $next_event
  (br_if $events_done (i32.ge_u (local.get $event) (i32.load (i32.const 68))))
  (br_if $events_done (i64.gt_s (i64.load (local.get $event)) (local.get $scan)))
  (call $event (i32.load offset=8 (local.get $event)) (i32.load offset=12 (local.get $event)) (i64.load offset=16 (local.get $event)))
  (local.set $event (i32.add (local.get $event) (i32.const 24)))
  br $next_event end end
  (i32.store (i32.const 64) (local.get $event))
  (if (i32.load (i32.const 144)) (then
    (local.set $now (i64.load (i32.const 8)))
    (i64.store (i32.const 8) (call $start_of (local.get $scan)))
    (call $run_phase (i32.const 3))
    (i64.store (i32.const 8) (local.get $now))))
  (if (i32.load (i32.const 136))
    (then (if (i32.load (i32.const 140)) (then (call $run_phase (i32.const 2)))))
    (else
      (i64.store (i32.const 8) (i64.sub (call $start_of (local.get $scan)) (i64.load (i32.const 128))))
      (global.set $budget (i32.load (i32.const 36)))
      call $scan))
  end
  (call $log_changes (i32.wrap_i64 (i64.sub (local.get $scan) (i64.load (i32.const 96)))))
  (local.set $scan (i64.add (local.get $scan) (i64.const 1)))
  block $go_on
  (br_if $go_on (i32.eqz (i32.load (i32.const 76))))
  (br_if $go_on (i32.eqz (i32.load8_u (i32.load (i32.const 76)))))
  (i32.store (i32.const 104) (i32.const 1))
  br $done
  end
  br $next_scan end end
  (i64.store (i32.const 16) (local.get $scan))
  (i32.store (i32.const 64) (local.get $event)))

;; The scan loop. Python fills in the header, whose fields "header.py" names, and calls "run"; nothing on the way calls out.
;; The phases are those of ``program.py``. While no scan runs, driven values go on and probes look; forces rest.
;; An event is (scan i64, address, width, value i64). The width is that of the value in bytes, 1, 2, 4 or 8; with 3 its second byte says
;; which bits of the byte at the address its first byte sets. Where forces are compiled in, see "forces.wat".
;; A watched span is (address, end, address of its copy, address of its mask), in words of 8 bytes. After each scan a word
;; that differs from its copy is copied, and written to the log, as (scans since, address, value i64), where its mask says so.
(func $fault (param $site i32) (param $self i32)
  (i32.store (i32.const {site}) (local.get $site))
  (i32.store (i32.const {instance}) (local.get $self))
  (i32.store (i32.const {caller}) (global.get $caller)))
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
  (local.set $span (i32.load (i32.const {spans})))
  (local.set $log (i32.load (i32.const {log})))
  block $done loop $next_span
  (br_if $done (i32.ge_u (local.get $span) (i32.load (i32.const {spans_end}))))
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
  (i32.store (i32.const {log}) (local.get $log)))
(func $start_of (param $scan i64) (result i64) (local $many i64)
  (if (result i64) (i32.load (i32.const {starts}))
    (then
      (local.set $many (i64.load32_u (i32.const {starts_count})))
      (i64.add
        (i64.mul (i64.div_u (local.get $scan) (local.get $many)) (i64.load (i32.const {period})))
        (i64.load (i32.add (i32.load (i32.const {starts}))
          (i32.shl (i32.wrap_i64 (i64.rem_u (local.get $scan) (local.get $many))) (i32.const 3))))))
    (else (i64.mul (local.get $scan) (i64.load (i32.const {interval}))))))
(func $run_phase (param $phase i32)
  (global.set $budget (i32.load (i32.const {turns})))
  (i32.store (i32.load (i32.const {phase})) (local.get $phase))
  call $scan
  (i32.store (i32.load (i32.const {phase})) (i32.const 0)))
(func (export "run") (local $scan i64) (local $event i32) (local $now i64)
  (local.set $scan (i64.load (i32.const {scan})))
  (local.set $event (i32.load (i32.const {event})))
  (i32.store (i32.const {is_met}) (i32.const 0))
  block $done loop $next_scan
  (br_if $done (i64.ge_s (local.get $scan) (i64.load (i32.const {stop}))))
  (br_if $done (i32.gt_u (i32.load (i32.const {log})) (i32.load (i32.const {log_end}))))
  (i64.store (i32.const {scan}) (local.get $scan))
  block $has_run
  (if (i32.load (i32.const {left})) (then
    (call $run_phase (i32.load (i32.const {left})))
    (i32.store (i32.const {left}) (i32.const 0))
    br $has_run))
  block $events_done loop $next_event
  (br_if $events_done (i32.ge_u (local.get $event) (i32.load (i32.const {events_end}))))
  (br_if $events_done (i64.gt_s (i64.load (local.get $event)) (local.get $scan)))
  (call $event (i32.load offset=8 (local.get $event)) (i32.load offset=12 (local.get $event)) (i64.load offset=16 (local.get $event)))
  (local.set $event (i32.add (local.get $event) (i32.const 24)))
  br $next_event end end
  (i32.store (i32.const {event}) (local.get $event))
  (if (i32.load (i32.const {has_rig})) (then
    (local.set $now (i64.load (i32.const {now})))
    (i64.store (i32.const {now}) (call $start_of (local.get $scan)))
    (call $run_phase (i32.const 3))
    (i64.store (i32.const {now}) (local.get $now))))
  (if (i32.load (i32.const {is_idle}))
    (then (if (i32.load (i32.const {phase})) (then (call $run_phase (i32.const 2)))))
    (else
      (i64.store (i32.const {now}) (i64.sub (call $start_of (local.get $scan)) (i64.load (i32.const {idled}))))
      (global.set $budget (i32.load (i32.const {turns})))
      call $scan))
  end
  (call $log_changes (i32.wrap_i64 (i64.sub (local.get $scan) (i64.load (i32.const {base})))))
  (local.set $scan (i64.add (local.get $scan) (i64.const 1)))
  block $go_on
  (br_if $go_on (i32.eqz (i32.load (i32.const {condition}))))
  (br_if $go_on (i32.eqz (i32.load8_u (i32.load (i32.const {condition})))))
  (i32.store (i32.const {is_met}) (i32.const 1))
  br $done
  end
  br $next_scan end end
  (i64.store (i32.const {scan}) (local.get $scan))
  (i32.store (i32.const {event}) (local.get $event)))

//! Plots and films, read back by decoders.

use crate::records;
use ironspin_report::{FilmStyle, PageTrial, ResultPlot, ResultPlotError, apng, gif, result_plot, still, strip};
use quick_xml::Reader;
use quick_xml::events::Event;

fn trials() -> Vec<PageTrial> {
    records().iter().map(PageTrial::of).collect()
}

fn plot(gauge: &str, over: &str, dots: bool) -> ResultPlot {
    ResultPlot { gauge: gauge.to_owned(), over: over.to_owned(), logarithmic: [false, false], dots }
}

/// All texts of a drawing; it must be XML from end to end.
pub(crate) fn texts(svg: &str) -> Vec<String> {
    let (mut reader, mut found, mut depth) = (Reader::from_str(svg), Vec::new(), 0);
    loop {
        match reader.read_event().unwrap() {
            Event::Start(_) => depth += 1,
            Event::End(_) => depth -= 1,
            Event::Text(text) => found.push(text.decode().unwrap().trim().to_owned()),
            Event::Eof => break,
            _ => {}
        }
    }
    assert_eq!(depth, 0);
    found.retain(|text| !text.is_empty());
    found
}

#[test]
fn a_plot_names_its_axes_and_its_engines_by_letters() {
    let svg = String::from_utf8(result_plot(&trials(), &plot("tunnel.count", "dt", false)).unwrap()).unwrap();
    let texts = texts(&svg);
    for wanted in ["tunnel.count", "engine A: builtin", "engine B: builtin:swept=off"] {
        assert!(texts.iter().any(|text| text.contains(wanted)), "{wanted}: {texts:?}");
    }
    assert!(texts.iter().filter(|text| text.contains("swept=off")).count() == 1, "a long name stands once: {texts:?}");
}

#[test]
fn a_plot_is_the_same_every_time() {
    for dots in [false, true] {
        let order = plot("tunnel.count", "dt", dots);
        assert_eq!(result_plot(&trials(), &order).unwrap(), result_plot(&trials(), &order).unwrap());
    }
}

#[test]
fn a_plot_of_dots_is_a_png_with_something_on_it() {
    let bytes = result_plot(&trials(), &plot("tunnel.count", "dt", true)).unwrap();
    let (size, pixels) = pixels(&bytes);
    assert!(size.iter().all(|&side| (400..4000).contains(&side)), "{size:?}");
    let ground = pixels[0];
    let drawn = pixels.iter().filter(|&&pixel| pixel != ground).count();
    assert!(drawn > pixels.len() / 1000 && drawn < pixels.len() / 2, "{drawn} of {}", pixels.len());
}

/// Width and height of a PNG, and its pixels.
fn pixels(bytes: &[u8]) -> ([u32; 2], Vec<[u8; 3]>) {
    let mut reader = png::Decoder::new(std::io::Cursor::new(bytes)).read_info().unwrap();
    let mut buffer = vec![0; reader.output_buffer_size()];
    let info = reader.next_frame(&mut buffer).unwrap();
    let wide = info.color_type.samples();
    let pixels = buffer[..info.buffer_size()].chunks_exact(wide).map(|pixel| [pixel[0], pixel[1], pixel[2]]);
    ([info.width, info.height], pixels.collect())
}

#[test]
fn what_cannot_be_plotted_says_what_there_is() {
    let failure = |gauge: &str, over: &str| result_plot(&trials(), &plot(gauge, over, false)).unwrap_err();
    assert!(
        matches!(failure("tunel.count", "dt"), ResultPlotError::NoGauge { nearest: Some(near), .. } if near == "tunnel.count")
    );
    let error = failure("tunnel.count", "sped").to_string();
    assert!(
        error.contains("there is no `sped` to plot over") && error.contains("speed") && error.contains("dt"),
        "{error}"
    );
    assert!(matches!(
        result_plot(&[], &plot("tunnel.count", "time", false)),
        Err(ResultPlotError::NoGauge { nearest: None, .. })
    ));
}

fn style() -> FilmStyle {
    FilmStyle {
        views: Vec::new(),
        aim: None,
        width: 160,
        contacts: true,
        velocities: true,
        trails: true,
        slow: true,
        every: 10,
        follow: None,
        title: "Łódź, Ωμέγα & <b>".to_owned(),
    }
}

#[test]
fn a_film_has_its_size_its_length_and_starts_with_a_whole_picture() {
    let record = &records()[1];
    let bytes = gif(record, &style(), 1.0).unwrap();
    let mut options = gif::DecodeOptions::new();
    options.set_color_output(gif::ColorOutput::Indexed);
    let mut decoder = options.read_info(bytes.as_slice()).unwrap();
    assert_eq!(decoder.width(), 160);
    let (mut frames, mut hundredths) = (0, 0_u64);
    while let Some(frame) = decoder.read_next_frame().unwrap() {
        if frames == 0 {
            assert_eq!((frame.width, frame.left, frame.top, frame.transparent), (160, 0, 0, None));
        }
        frames += 1;
        hundredths += u64::from(frame.delay);
    }
    // As long as the trial or longer, for it is slower where it broke and the last picture stays.
    let seconds = record.recording.replay.times.last().unwrap();
    assert!(frames > 3 && hundredths as f64 >= 100.0 * seconds, "{frames} in {hundredths} hundredths, {seconds} s");
    assert_eq!(bytes, gif(record, &style(), 1.0).unwrap());
    let plain = FilmStyle { slow: false, ..style() };
    assert!(gif(record, &plain, 1.0).unwrap().len() < bytes.len());
}

#[test]
fn an_animated_png_and_a_still_are_of_one_size() {
    let record = &records()[0];
    let (still_size, first) = pixels(&still(record, &style(), 0.0).unwrap());
    let animated = apng(record, &style(), 1.0).unwrap();
    let reader = png::Decoder::new(std::io::Cursor::new(&animated)).read_info().unwrap();
    assert!(reader.info().animation_control().is_some_and(|control| control.num_frames > 3));
    let (size, started) = pixels(&animated);
    assert_eq!(size, still_size);
    assert_eq!(size[0], 160);
    assert_eq!(first, started);
}

#[test]
fn a_strip_has_as_many_pictures_as_asked_three_in_a_row() {
    let record = &records()[1];
    let (one, _) = pixels(&still(record, &style(), 0.0).unwrap());
    for (pictures, across, down) in [(1, 1, 1), (2, 2, 1), (4, 3, 2), (6, 3, 2)] {
        let (size, _) = pixels(&strip(record, &style(), pictures).unwrap());
        assert_eq!(size, [across * (one[0] + 6) + 6, down * (one[1] + 6) + 6], "{pictures}");
    }
    let huge = FilmStyle { width: 200_000, ..style() };
    assert!(strip(record, &huge, 3).is_err());
}

#[test]
fn what_broke_and_is_small_is_shown_larger_in_a_frame_of_its_own() {
    // The rivets that went through their plates are smaller than the letters.
    let framed = |record| {
        let large = FilmStyle { width: 640, contacts: false, ..style() };
        let ([wide, _], dots) = pixels(&still(record, &large, 0.0).unwrap());
        let is_frame = |row: &[[u8; 3]]| {
            let mut longest = 0;
            let mut now = 0;
            for &dot in row {
                now = if dot == [0xa9, 0x3a, 0x12] { now + 1 } else { 0 };
                longest = longest.max(now);
            }
            longest > 60
        };
        dots.chunks_exact(wide as usize).filter(|row| is_frame(row)).count()
    };
    let records = records();
    assert!(framed(&records[1]) >= 2, "{} lines", framed(&records[1]));
    assert_eq!(framed(&records[0]), 0);
}

#[test]
fn a_trial_that_never_ran_is_no_film() {
    assert!(gif(&records()[3], &style(), 1.0).is_err());
    assert!(still(&records()[3], &style(), 1.0).is_err());
}

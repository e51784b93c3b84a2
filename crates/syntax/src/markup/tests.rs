use yarrowgraph_ir::Unit;

use super::{Form, form_of};

const VIEW: &str = "<Window x:Class=\"Lock.Board\" xmlns:local=\"l\">\n  <Button x:Name=\"fill\" Content=\"Fill\" Click=\"OnFill\"/>\n  <Label Text=\"{Binding Level}\"/>\n</Window>\n";
const PAGE: &str = "<div>\n<lock-gauge @level-changed.once='onLevel($event)' v-if=\"a < b\"></lock-gauge>\n<p>unclosed\n<script setup>\nbus.on('tide', onTide);\n</script>\n";
const FORM: &str = "<ui><class>Board</class><widget class=\"QDialog\" name=\"Board\"><widget class=\"QPushButton\" name=\"fill\"/></widget><connections><connection><sender>fill</sender><signal>clicked()</signal><receiver>Board</receiver><slot>start()</slot></connection></connections></ui>";
const CONTROLLER: &str = "<VBox fx:controller=\"lock.Board\"><Button fx:id=\"fill\" onAction=\"#start\"/></VBox>";
const SCENE: &str = "MonoBehaviour:\n  m_Calls:\n  - m_Target: {fileID: 1}\n    m_MethodName: OnFill\n[connection signal=\"pressed\" from=\"Button\" to=\".\" method=\"_on_fill\"]\n";
const LAYOUT: &str = "<Button android:id=\"@+id/fill\" android:onClick=\"openSluice\" android:text=\"@{board.level}\" />";
const SERVICES: &str = "# who watches\nlock.Gauge # the first\nlock.Board$Lamp\n";

const SAMPLES: [(&str, &str); 7] = [
    ("Board.xaml", VIEW),
    ("Board.vue", PAGE),
    ("board.ui", FORM),
    ("board.fxml", CONTROLLER),
    ("lock.prefab", SCENE),
    ("res/layout/board.xml", LAYOUT),
    ("META-INF/services/lock.Watch", SERVICES),
];

fn read(path: &str, text: &str) -> Unit {
    form_of(path).expect("markup").lower(path, text).expect("readable")
}

fn mentioned(unit: &Unit) -> Vec<&str> {
    unit.mentioned.iter().map(|n| unit.text(*n)).collect()
}

#[test]
fn forms_go_by_path() {
    assert_eq!(form_of("a/res/layout-land/board.xml"), Some(Form::Layout));
    assert_eq!(form_of("a/config/board.xml"), None);
    assert_eq!(form_of("a/Board.cs"), None);
}

#[test]
fn places_are_those_of_the_markup() {
    let unit = read("Board.xaml", VIEW);
    let method = unit.members.iter().find(|m| unit.text(m.name) == "InitializeComponent").expect("written out");
    let body = method.body.as_ref().expect("a body");
    let at = VIEW.find("Click=").expect("there") as u32;
    let is_it = |n: usize| body.span(yarrowgraph_ir::NodeId::new(n)).start == at;
    assert!((0..body.nodes.len()).any(is_it));
    assert_eq!(mentioned(&unit), ["fill", "Click", "OnFill", "Text", "Binding", "Level"]);
}

#[test]
fn names_of_handlers_and_events_are_kept() {
    let expected: [(usize, &[&str]); 5] = [
        (1, &["level-changed", "levelChanged", "onLevel"]),
        (2, &["start"]),
        (3, &["fill", "start"]),
        (4, &["OnFill", "pressed", "_on_fill"]),
        (5, &["openSluice", "board", "level"]),
    ];
    for (sample, names) in expected {
        let (path, text) = SAMPLES[sample];
        let unit = read(path, text);
        let missing: Vec<_> = names.iter().filter(|n| !mentioned(&unit).contains(n)).collect();
        assert!(missing.is_empty(), "{path}: {missing:?} of {:?}", mentioned(&unit));
    }
}

#[test]
fn documents_name_the_signals_that_they_handle() {
    let unit = read(
        "Board.qml",
        "Item {\n  // onDrained is gone\n  Connections { target: Station\n    function onReloaded() { board.fill() } }\n}\n",
    );
    let names = mentioned(&unit);
    assert!(["Station", "reloaded", "onReloaded", "fill"].iter().all(|n| names.contains(n)), "{names:?}");
    assert!(!names.contains(&"drained"), "{names:?}");
}

#[test]
fn scripts_keep_their_places() {
    let unit = read("Board.vue", PAGE);
    let body = unit.members.iter().find_map(|m| m.body.as_ref()).expect("a script");
    let at = PAGE.find("bus.on").expect("there") as u32;
    assert!((0..body.nodes.len()).any(|n| body.span(yarrowgraph_ir::NodeId::new(n)).start == at));
}

#[test]
fn what_serves_an_interface_is_made() {
    let dump = yarrowgraph_ir::dump(&read(SAMPLES[6].0, SERVICES));
    assert!(dump.contains("new lock.Gauge") && dump.contains("new lock.Board.Lamp"), "{dump}");
}

#[test]
fn markup_that_is_cut_off_anywhere_is_read_as_far_as_it_goes() {
    for (path, text) in SAMPLES {
        for end in (0..text.len()).filter(|end| text.is_char_boundary(*end)) {
            read(path, &text[..end]);
            read(path, &format!("{}<<\"'&{}", &text[..end], &text[end..]));
        }
    }
}

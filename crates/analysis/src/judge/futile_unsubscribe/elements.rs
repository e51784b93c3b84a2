//! Releases on elements of a page that are other ones than those that were subscribed to: what an element is told of below it goes only
//! with the same selector on the same element.

use yarrowgraph_model::{Certainty, Level};

use super::{Draft, related};
use crate::wire::channels::{Channel, ChannelKey, Topic};
use crate::wire::effect::{Act, Effect};
use crate::wire::selections::Element;
use crate::wire::{Wiring, operation_place};

/// A release that finds nothing on its element, while what it names is on another one, or under another name.
pub(super) fn judge(wiring: &Wiring<'_>, channel: &Channel, leave: &Effect) -> Option<Draft> {
    let ChannelKey::Bus(_, topic) = &channel.key else { return None };
    let element = of(channel)?;
    let takes = |c: &Channel| matches!(&c.key, ChannelKey::Bus(_, other) if *topic == Topic::Any || other == topic);
    let joins = |c: &'_ Channel| c.joins.iter().map(|j| &wiring.effects[*j]).filter(|e| !wiring.in_test(e.site.member)).collect::<Vec<_>>();
    // on the element itself, and on what it is told of below it
    let there: Vec<&Effect> = wiring
        .channels
        .iter()
        .filter(|c| takes(c) && of(c).is_some_and(|e| e == element || (element.below.is_none() && e.whole == element.whole)))
        .flat_map(joins)
        .collect();
    if let (Some(space), false) = (leave.space, there.is_empty()) {
        let other = there.iter().find(|j| j.space.is_some())?;
        let is_there = there.iter().any(|j| j.space == Some(space));
        return (!is_there).then(|| draft(wiring, channel, leave, other, "nothing on the element goes by this name"));
    }
    if !there.is_empty() || leave.act != Act::LeaveAll {
        return None;
    }
    let mut elsewhere = wiring.channels.iter().filter(|c| takes(c) && of(c).is_some_and(|e| e.is_mistaken_for(&element)));
    let join = elsewhere.find_map(|c| joins(c).first().copied())?;
    let why = match element.below {
        Some(_) => "the handler is on the elements themselves, and not told of what happens below another one",
        None => "the handler is on an element around these, and goes only with the same selector on that one",
    };
    Some(draft(wiring, channel, leave, join, why))
}

/// The element that a channel is about.
fn of(channel: &Channel) -> Option<Element<'_>> {
    match &channel.key {
        ChannelKey::Bus(bus, _) => Element::of(bus),
        _ => None,
    }
}

fn draft(wiring: &Wiring<'_>, channel: &Channel, leave: &Effect, join: &Effect, why: &str) -> Draft {
    let program = wiring.program();
    Draft {
        level: Level::Error,
        certainty: Certainty::Likely,
        place: operation_place(program, leave.site),
        message: format!("this takes nothing off: {why}"),
        related: vec![related("this is what was put on", wiring.place(join))],
        parties: vec![channel.id.clone(), program.member_id(leave.site.member)],
        edit: None,
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn an_element_around_and_another_name() {
        expect(
            "futile-unsubscribe",
            r#"
//// beds.js
function Beds($root) {
  this.$root = $root;
}
Beds.prototype.open = function () {
  this.$root.on('click.beds', 'a.bed', $.proxy(this.pick, this));
  this.$root.on('keyup.beds change.beds', 'input', $.proxy(this.search, this));
  $('#water').on('click', this.water);
};
Beds.prototype.shut = function () {
  this.$root.find('a.bed').off('click'); //! futile-unsubscribe error
  $(document).off('click', '#water'); //! futile-unsubscribe error
  this.$root.off('.bed'); //! futile-unsubscribe error
};
Beds.prototype.close = function () {
  this.$root.off('.beds');
  $('#water').off('click', this.water);
};
Beds.prototype.pick = function () { console.log('picked'); };
Beds.prototype.search = function () { console.log('search'); };
Beds.prototype.water = function () { console.log('water'); };
const beds = new Beds($('#beds'));
beds.open(); beds.shut(); beds.close();
"#,
        );
    }
}

//! Commands that handlers are registered for, one for each class, and that nobody sends: `bus.register(CloseKitchen.class, …)`.

use std::collections::BTreeMap;

use yarrowgraph_ir::{TypeKind, Visibility};
use yarrowgraph_model::{Certainty, Level};

use crate::flow::Val;
use crate::judge::unknown_code::keeps_one_each;
use crate::judge::{Draft, related, short};
use crate::machine::State;
use crate::program::{MemberId, Site, TypeId};
use crate::wire::Wiring;
use crate::wire::channels::{Channel, ChannelKey};

/// Classes by which a handler is looked up, with where one is registered for each; by what holds the handlers.
type Registered = BTreeMap<MemberId, BTreeMap<TypeId, Vec<Site>>>;

pub(super) fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let mut found = Vec::new();
    for classes in registered(wiring).values() {
        let is_sent = |class: &TypeId| !wiring.flow.creations(*class).is_empty();
        if !classes.keys().any(is_sent) {
            continue;
        }
        for (class, places) in classes.iter().filter(|(class, places)| is_left_out(wiring, **class, places)) {
            let Some(place) = program.type_place(*class) else { continue };
            let id = program.type_id(*class);
            found.push(Draft {
                level: Level::Warning,
                certainty: Certainty::Likely,
                place,
                message: format!("nothing creates the command {}, which has a handler", short(&id)),
                related: places.iter().take(1).map(|s| related("its handler is registered here", program.place_of(*s))).collect(),
                parties: vec![id],
                edit: None,
            });
        }
    }
    found
}

/// Whether a channel is that of a command which this rule says nobody sends.
pub(in crate::judge) fn is_of_unsent(wiring: &Wiring<'_>, channel: &Channel) -> bool {
    class_of(wiring, channel).is_some_and(|(holder, class, sites)| {
        let others = wiring.channels.iter().filter_map(|c| class_of(wiring, c)).filter(|(h, ..)| *h == holder);
        keeps_one_each(wiring, holder)
            && is_left_out(wiring, class, &sites)
            && others.into_iter().any(|(_, other, _)| !wiring.flow.creations(other).is_empty())
    })
}

/// What has handlers by class: maps from class to handler, and rosters that keep one handler under each class.
fn registered(wiring: &Wiring<'_>) -> Registered {
    let mut all = Registered::new();
    for table in wiring.codes() {
        let Some(holder) = table.holder else { continue };
        for entry in &table.entries {
            if let State::Class(class) = entry.code {
                all.entry(holder).or_default().entry(class).or_default().push(entry.place);
            }
        }
    }
    for (holder, class, sites) in wiring.channels.iter().filter_map(|c| class_of(wiring, c)) {
        if keeps_one_each(wiring, holder) {
            all.entry(holder).or_default().entry(class).or_default().extend(sites);
        }
    }
    all
}

/// The class that is a channel's topic, with the channel's holder and where handlers are put on it.
fn class_of(wiring: &Wiring<'_>, channel: &Channel) -> Option<(MemberId, TypeId, Vec<Site>)> {
    let ChannelKey::Own(holder, Some(_)) = channel.key else { return None };
    let joins = || channel.joins.iter().map(|j| &wiring.effects[*j]);
    let mut class = joins().map(|e| if let Some(Val::Type(class)) = e.holder.key { Some(class) } else { None });
    Some((holder, class.next()??, joins().map(|e| e.site).collect()))
}

/// Whether nothing but its registrations names a class of commands.
fn is_left_out(wiring: &Wiring<'_>, class: TypeId, registrations: &[Site]) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let info = program.ty(class);
    let within = |site: &Site| {
        let is_it = |r: &Site| r.member == site.member && program.scope(r.member).is_within(site.node, r.node);
        registrations.iter().any(is_it)
    };
    let is_named = || program.index.reads(info.name).iter().any(|s| !within(s) && flow.eval(*s) == Val::Type(class));
    let registers = |m: MemberId| registrations.iter().any(|r| r.member == m);
    matches!(info.kind, TypeKind::Class | TypeKind::Struct | TypeKind::Record)
        && !info.modifiers.is_abstract
        && flow.creations(class).is_empty()
        && program.heirs(class).len() == 1
        && !(wiring.is_open && info.modifiers.visibility == Visibility::Public)
        && !wiring.is_test_type(class)
        && !wiring.is_unread(info.name)
        && !super::written_about(wiring, class)
        && !program.type_arguments(class).any(|m| !registers(m))
        && !is_named()
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_command_with_a_handler_that_nobody_sends() {
        expect(
            "unissued-command",
            r#"
//// Office.java
package marlwend;
import java.util.HashMap;
import java.util.Map;
import java.util.function.Consumer;
interface Order {}
class OpenGate implements Order {}
class CloseGate implements Order {} //! unissued-command warning
class Office {
    private final Map<Class<?>, Consumer<Order>> keepers = new HashMap<>();
    <T extends Order> void on(Class<T> type, Consumer<? super T> keeper) { keepers.put(type, o -> keeper.accept(type.cast(o))); }
    void send(Order order) {
        Consumer<Order> keeper = keepers.get(order.getClass());
        if (keeper == null) throw new IllegalStateException();
        keeper.accept(order);
    }
    public static void main(String[] args) {
        Office office = new Office();
        office.on(OpenGate.class, o -> System.out.println("open"));
        office.on(CloseGate.class, o -> System.out.println("close"));
        office.send(new OpenGate());
    }
}
"#,
        );
    }
}

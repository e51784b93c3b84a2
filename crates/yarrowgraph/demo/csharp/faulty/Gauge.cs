#nullable enable
using System;

namespace Marlwend;

/// <summary>The staff that the water level of a chamber is read from.</summary>
public sealed class Gauge
{
    private int _cm;

    public event EventHandler<int>? Rose;
    public event EventHandler? RanDry;

    public void Read(int cm)
    {
        if (cm == _cm) return;
        _cm = cm;
        Rose?.Invoke(this, cm);
        if (cm == 0) RanDry?.Invoke(this, EventArgs.Empty);
    }
}

/// <summary>The horn that warns boats of the weir; one for the whole staircase.</summary>
public static class Horn
{
    public static event Action<string>? Blown;

    public static void Blow(string why) => Blown(why);
}

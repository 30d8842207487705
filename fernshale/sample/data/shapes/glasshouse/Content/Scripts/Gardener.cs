using Pellicor;
using Shrubs;

/// <summary>Walks through the house and waters plants.</summary>
public sealed class Gardener : Part
{
    public override void Step(float seconds)
    {
        foreach (Growth growth in Scene.All<Growth>())
        {
            growth.Speed = 0.3f;
        }
    }
}

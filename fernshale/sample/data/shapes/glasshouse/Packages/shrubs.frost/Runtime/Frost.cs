using Pellicor;

namespace Shrubs
{
    public sealed class Frost : Part
    {
        public override void Step(float seconds)
        {
        }
    }
}
